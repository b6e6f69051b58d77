/** What was kept on this machine under a name; undefined where nothing is, or the browser keeps nothing. */
export function readLocal(name: string): string | undefined {
  try {
    return localStorage.getItem(name) ?? undefined;
  } catch {
    return undefined;
  }
}

/** Keeps a setting on this machine (undefined forgets it); a browser that is full or refuses goes without. */
export function storeLocal(name: string, value: string | undefined): void {
  try {
    if (value === undefined) localStorage.removeItem(name);
    else localStorage.setItem(name, value);
  } catch {
    // The setting lasts as long as the page.
  }
}
