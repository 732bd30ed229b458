/** Posts a file as it is; what is refused is thrown as the server says it. */
export async function post(address: string, file: File): Promise<Response> {
  const answer = await fetch(address, {
    method: 'POST',
    body: file,
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  if (!answer.ok) throw (await answer.json()) as unknown;
  return answer;
}
