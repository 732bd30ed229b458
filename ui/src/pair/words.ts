/** The clues in words, as a person reads them. */
export const clueNames: Record<string, string> = {
  'sheet-row': 'sheet row',
  'same-name': 'same name',
  'key-in-name': 'key in the name',
  'name-in-key': 'name in the key',
  'barcode-in-name': 'barcode in the name',
  'barcode-in-picture': 'barcode in the picture',
  folder: 'folder',
  title: 'title',
  attribute: 'attribute',
  pattern: 'pattern',
  'look-alike': 'look-alike',
  category: 'category',
  'said-by-source': 'its source says so',
};

/** Clues that read no names: they are weighed before or behind all that do, wherever they stand in a list. */
export const besideNames = new Set(['sheet-row', 'barcode-in-picture', 'look-alike', 'category']);

/** What each clue goes by. */
export const clueHelp: Record<string, string> = {
  'sheet-row': 'a spreadsheet that came with the lot names the file for a SKU',
  'same-name': 'the whole name is a key',
  'key-in-name': 'a key stands in the name',
  'name-in-key': 'the name is a part of one key only',
  'barcode-in-name': 'a GTIN with a right check digit stands in the name',
  'barcode-in-picture': 'a barcode is read from the pixels',
  folder: 'the nearest folder whose name is a key',
  title: 'words of a title, in any order, that one product has',
  attribute: 'a value that one product only has',
  pattern: 'your own regular expression',
  'look-alike': 'the picture is near one that stands on a product; proposed, never paired by itself',
  category: 'the file, or a folder without products’ pictures, is called like a category',
};

export const rungNames: Record<string, string> = {
  same: 'same characters',
  case: 'letter case aside',
  separators: 'separators equal',
  joined: 'separators left out',
  zeros: 'leading zeros aside',
};
