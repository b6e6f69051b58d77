/** Hands a person a text file to keep. */
export function downloadText(name: string, text: string, type: string): void {
  download(name, new Blob([text], { type }));
}

/** Hands a person a file that came in base 64. */
export function downloadBase64(name: string, base64: string): void {
  download(name, new Blob([Uint8Array.from(atob(base64), (one) => one.charCodeAt(0))]));
}

function download(name: string, blob: Blob): void {
  const url = URL.createObjectURL(blob);
  const link = document.createElement('a');
  link.href = url;
  link.download = name.replace(/[\\/:*?"<>|]/g, ' ');
  link.click();
  URL.revokeObjectURL(url);
}

/** Hands a person a JSON file to keep. */
export const downloadJson = (name: string, content: unknown): void =>
  downloadText(name, JSON.stringify(content, null, 2), 'application/json');
