import { readPhone } from '../values/phone.ts';
import { isEmpty, toText, type Value } from '../values/value.ts';

/** The most of an address that is kept (RFC 5321 section 4.5.3.1). */
const longest = 320;

/**
 * An e-mail address or a telephone number as one that is the same is written: without a name before it, in small letters
 * and one form of its letters (Unicode NFC); a number as E.164 has it, where it can be read. Common practice: a mailbox
 * is the same whatever its capitals; dots and what follows a plus tell mailboxes apart.
 *
 * @param country - where a number without its country belongs
 * @returns undefined where nothing is there
 */
export function contactKey(value: Value | undefined, country?: string): string | undefined {
  if (isEmpty(value)) return undefined;
  const text = toText(value).trim();
  const bare = (/<([^<>]+)>\s*$/.exec(text)?.[1] ?? text).trim();
  if (bare === '') return undefined;
  if (bare.includes('@')) return bare.normalize('NFC').toLowerCase().slice(0, longest);
  const number = /^[+\d][\d\s().\-/]{4,}$/.test(bare) ? readPhone(bare, country ?? '') : undefined;
  return (number ?? bare.normalize('NFC').toLowerCase()).slice(0, longest);
}

/** The contacts in a field that may name several, with commas, semicolons or lines between them. */
export function contactKeys(value: Value | undefined, country?: string): string[] {
  if (isEmpty(value)) return [];
  const all = toText(value)
    .split(/[,;\n]/)
    .flatMap((one) => contactKey(one, country) ?? []);
  return [...new Set(all)];
}
