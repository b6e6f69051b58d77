// The name under which a document is put into a folder, so that every machine that the folder is copied to can hold it.

/** What no file name may hold: control characters, and what a path or a drive is written with (NTFS and FAT, common practice). */
const forbidden = /[\p{Cc}\p{Zl}\p{Zp}\\/:*?"<>|]+/gu;
/** Names of devices, with or without an ending (common practice on Windows). */
const device = /^(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\.|$)/i;
/** The most bytes of a name in UTF-8 (ext4, APFS); NTFS takes 255 units of UTF-16, which are never more than that. */
const mostBytes = 255;

/** A name with what had to be done so that it can be one. */
export interface DocumentName {
  /** With its ending. */
  readonly name: string;
  /** In sentences; empty where it could stay as it was. */
  readonly told: readonly string[];
}

/**
 * A file name of a text and an ending such as `.pdf`; undefined where nothing is left of the text.
 * What a name can't hold becomes a hyphen, and what is too long is cut between letters, never within one.
 */
export function documentName(text: string, ending: string): DocumentName | undefined {
  const told: string[] = [];
  const spaced = text.normalize('NFC').replace(/\s+/gu, ' ').trim();
  const bare = withoutEnds(spaced.replace(forbidden, '-'));
  if (/^[-\s]*$/.test(bare)) return undefined;
  const safe = device.test(bare) ? `${bare.replace(device, '$1_$2')}` : bare;
  if (safe !== spaced) told.push(`“${spaced}” can’t be the name of a file; it is “${safe}”.`);
  const cut = withoutEnds(cutTo(safe, mostBytes - byteLength(ending)));
  if (cut !== safe) told.push(`“${safe.slice(0, 40)}…” is too long for the name of a file; it is cut.`);
  return { name: `${cut}${ending}`, told };
}

/**
 * The next name where one is taken: “Note (2).pdf” after “Note.pdf”.
 *
 * @param number - from 2 on
 */
export function numberedName(name: string, ending: string, number: number): string {
  const mark = ` (${number})`;
  const bare = name.endsWith(ending) ? name.slice(0, name.length - ending.length) : name;
  return `${withoutEnds(cutTo(bare, mostBytes - byteLength(mark + ending)))}${mark}${ending}`;
}

/** By what two names are the same in a folder: most machines don't tell upper from lower case. */
export const sameName = (name: string): string => name.normalize('NFC').toUpperCase().toLowerCase();

/** Spaces and dots at the end are dropped by some machines; a dot at the beginning hides a file. */
const withoutEnds = (text: string): string => text.replace(/^[\s.]+|[\s.]+$/gu, '');

/** Bytes in UTF-8 (RFC 3629, section 3). */
function byteLength(text: string): number {
  let size = 0;
  for (const sign of text) {
    const point = sign.codePointAt(0) ?? 0;
    size += point < 0x80 ? 1 : point < 0x800 ? 2 : point < 0x10000 ? 3 : 4;
  }
  return size;
}
const letters = new Intl.Segmenter('und', { granularity: 'grapheme' });

function cutTo(text: string, most: number): string {
  if (byteLength(text) <= most) return text;
  let kept = '';
  let size = 0;
  for (const { segment } of letters.segment(text)) {
    size += byteLength(segment);
    if (size > most) break;
    kept += segment;
  }
  return kept;
}
