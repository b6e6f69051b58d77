/** How a person writes numbers and lists in formulas. */
export interface Spelling {
  /** Between arguments. */
  readonly separator: ',' | ';';
  /** Before decimals. */
  readonly decimal: '.' | ',';
}

/** The stored form, as in OpenFormula. */
export const storedSpelling: Spelling = { separator: ';', decimal: '.' };

/** How people of a locale (BCP 47) write: where the decimal mark is a comma, arguments are parted by `;`. */
export function spellingOf(locale: string): Spelling {
  const mark = new Intl.NumberFormat(locale).formatToParts(1.5).find((part) => part.type === 'decimal')?.value;
  return mark === ',' ? { separator: ';', decimal: ',' } : { separator: ',', decimal: '.' };
}

/**
 * What a person typed, in the stored form. Character for character, so that every place in the one
 * is the same place in the other. Texts and quoted names are left alone.
 */
export function toStored(typed: string, spelling: Spelling): string {
  return outsideQuotes(typed, (part) =>
    spelling.decimal === ',' ? part.replace(/(\d),(?=\d)/g, '$1.') : part.replaceAll(',', ';'),
  );
}

/** A stored formula as this person writes it. */
export function toTyped(stored: string, spelling: Spelling): string {
  return outsideQuotes(stored, (part) =>
    spelling.decimal === ',' ? part.replace(/(\d)\.(?=\d)/g, decimalComma(part)) : part.replaceAll(';', ','),
  );
}

/** Decimals of numbers become commas; the dots and figures of names (`line.2`) stay. */
function decimalComma(part: string): (match: string, digit: string, at: number) => string {
  return (match, digit, at) => (/[\p{L}_][\p{L}\w.]*$/u.test(part.slice(0, at + 1)) ? match : `${digit},`);
}

function outsideQuotes(text: string, change: (part: string) => string): string {
  return text.replace(/"(?:[^"]|"")*"?|\$\$'(?:[^']|'')*'?|[^"$]+|\$/g, (part) =>
    part.startsWith('"') || part.startsWith("$$'") ? part : change(part),
  );
}
