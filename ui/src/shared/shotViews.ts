/** What shots of products show, in the order in which shops list them. */
export const shotViews = [
  'front',
  'angle',
  'left',
  'right',
  'side',
  'back',
  'top',
  'bottom',
  'inside',
  'detail',
  'label',
  'pack',
  'in use',
  'scale',
  'swatch',
];
