/** Hands a person a JSON file to keep. */
export function downloadJson(name: string, content: unknown): void {
  const url = URL.createObjectURL(new Blob([JSON.stringify(content, null, 2)], { type: 'application/json' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name.replace(/[\\/:*?"<>|]/g, ' ');
  link.click();
  URL.revokeObjectURL(url);
}
