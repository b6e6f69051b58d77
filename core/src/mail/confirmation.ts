import { isWebAddress } from '../values/web-address.ts';

// How a mailbox elsewhere asks whether an address wants the mails that are to be sent on to it.

/** What a mail that asks for a confirmation offers: addresses to open, and codes to type in. */
export interface Confirmation {
  readonly links: readonly string[];
  readonly codes: readonly string[];
}

/** Links and codes that are offered; a mail with more of them is no question. */
const mostOffered = 6;

/** Words about sending mails on, in the languages that our users' mail hosts write in (common practice, not complete). */
const aboutForwarding =
  /forward|redirect|weiterleit|umleit|transf[ée]r|r[ée]exp[ée]di|redirec|reenv[ií]|encaminh|inoltr|reindirizz|doorstu(?:ur|ren)|doorgestuurd|vidarebeford|videresend|viderestill|przekaz|przekier|edelleenl|uudelleenohja/iu;

const codeWords =
  /\b(?:code|code[sz]|kod|kode|koden|koodi|c[óo]digo|codice|bestätigungscode|bevestigingscode|verification|confirmation)\b/iu;

/** All addresses of web pages in a text, each once, without the signs that end a sentence around them. */
export function linksIn(text: string): string[] {
  const found = text.match(/\bhttps?:\/\/[^\s<>"'“”«»]+/giu) ?? [];
  const bare = found.map((one) => withoutEnd(one)).filter(isWebAddress);
  return [...new Set(bare)];
}

/** A closing bracket belongs to an address only where the address opened it. */
function withoutEnd(address: string): string {
  let kept = address.replace(/[.,;:!?…*_]+$/u, '');
  for (const [open, close] of [
    ['(', ')'],
    ['[', ']'],
  ] as const)
    if (kept.endsWith(close) && !kept.includes(open)) kept = kept.slice(0, -1);
  return kept.replace(/[.,;:!?…]+$/u, '');
}

/**
 * What a mail offers that asks whether mails may be sent on to this address; undefined for one that doesn't ask that.
 * It tells of forwarding, in any of the languages known here, and holds a link or a code.
 */
export function confirmationIn({
  subject,
  text,
}: {
  readonly subject: string;
  readonly text: string;
}): Confirmation | undefined {
  if (!aboutForwarding.test(`${subject}\n${text}`)) return undefined;
  const links = linksIn(text);
  const plain = links.reduce((rest, link) => rest.replaceAll(link, ' '), `${subject}\n${text}`);
  const codes = codeWords.test(plain) ? [...new Set(plain.match(/(?<![\d\p{L}-])\d{5,10}(?![\d\p{L}-])/gu) ?? [])] : [];
  if (links.length + codes.length === 0 || links.length + codes.length > mostOffered) return undefined;
  return { links, codes };
}

/** The mark of a probe: a mail that is sent to a mailbox to see whether it comes on from there. */
export const probeMark = (token: string): string => `probe-${token}`;

/** True for a mail that bears a probe's mark in its subject or its Message-ID: one of them outlives the way. */
export const bearsMark = (
  { subject, messageId }: { readonly subject: string; readonly messageId: string },
  token: string,
): boolean => [subject, messageId].some((one) => one.toLowerCase().includes(probeMark(token)));
