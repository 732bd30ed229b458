import { bringSheet } from '../client';

const sheetName = /\.(xlsx|xlsm|csv|tsv)$/i;

/** Whether a file is a spreadsheet, by its name. */
export const isSheet = (name: string) => sheetName.test(name);

/** Brings a spreadsheet, as it is, and returns its number. */
export async function bring(file: File): Promise<number> {
  const { data } = await bringSheet({
    query: { name: file.name },
    body: file,
    headers: { 'Content-Type': 'application/octet-stream' },
    throwOnError: true,
  });
  return data.id;
}
