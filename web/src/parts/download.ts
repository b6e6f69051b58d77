/** Hands a person a text file to keep. */
export function downloadText(name: string, text: string, type: string): void {
  const url = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name.replace(/[\\/:*?"<>|]/g, ' ');
  link.click();
  URL.revokeObjectURL(url);
}

/** Hands a person a JSON file to keep. */
export const downloadJson = (name: string, content: unknown): void =>
  downloadText(name, JSON.stringify(content, null, 2), 'application/json');
