import type { Area } from '../sheet.ts';

/** The number of a column's letters, 0 where they are none. */
export function columnNumber(letters: string): number {
  let number = 0;
  for (let at = 0; at < letters.length; at++) {
    const code = letters.charCodeAt(at) & 0xdf;
    if (code < 65 || code > 90) return 0;
    number = number * 26 + code - 64;
  }
  return number;
}

/** The column of a cell's name such as "AB12"; 0 where it has none. */
export function columnOf(ref: string): number {
  let at = 0;
  while (at < ref.length && (ref.charCodeAt(at) | 0x20) >= 97 && (ref.charCodeAt(at) | 0x20) <= 122) at++;
  return columnNumber(ref.slice(0, at));
}

/** An area by its name, such as "A2:C9" or "B4"; undefined where it is none, or reaches over whole columns or rows. */
export function areaOf(ref: string): Area | undefined {
  const found = /^\$?([A-Z]{1,3})\$?(\d{1,7})(?::\$?([A-Z]{1,3})\$?(\d{1,7}))?$/i.exec(ref.trim());
  if (!found) return undefined;
  const [, left = '', top = '', right = left, bottom = top] = found;
  return { left: columnNumber(left), top: Number(top), right: columnNumber(right), bottom: Number(bottom) };
}
