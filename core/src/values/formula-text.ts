/**
 * Texts that a spreadsheet program would take for a formula when it opens a CSV file: those that begin
 * with `=`, `+`, `-`, `@` or a control character (OWASP, “CSV Injection”). A plain negative number is
 * what it looks like.
 */
export function readsAsFormula(text: string): boolean {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is looked for
  return /^[=+\-@\u0000-\u001f]/.test(text) && !/^-\d+(\.\d+)?$/.test(text);
}

/** The text behind an apostrophe where a program would take it for a formula; `asGiven` gives it back. */
export function harmless(text: string): string {
  return readsAsFormula(text.replace(/^'+/, '')) ? `'${text}` : text;
}

/** What `harmless` was given. */
export function asGiven(text: string): string {
  return text.startsWith("'") && readsAsFormula(text.replace(/^'+/, '')) ? text.slice(1) : text;
}
