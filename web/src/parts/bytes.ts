/** The content of a file as base64 (RFC 4648), for a body of JSON. */
export async function asBase64(file: Blob): Promise<string> {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(new Error('The file could not be read. Is it still where it was?'));
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(',') + 1);
}
