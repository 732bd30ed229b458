import { post } from './post';

/** Has rows put into a workbook that is handed in, and hands that workbook back; returns where they are. */
export async function handBack(
  address: string,
  workbook: File,
  where: Record<string, string>,
): Promise<string> {
  const asked = new URLSearchParams(Object.entries(where).filter(([, value]) => value !== ''));
  const answer = await post(`${address}${address.includes('?') ? '&' : '?'}${asked.toString()}`, workbook);
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await answer.blob());
  link.download = workbook.name;
  link.click();
  URL.revokeObjectURL(link.href);
  return decodeURIComponent(answer.headers.get('Ambrosa-Put') ?? '');
}
