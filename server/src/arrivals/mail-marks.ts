import { hopsHeader } from '@golden/core';

// What is kept of a mail beside the mail itself. The names have a space in them: nobody who posts can send such a header.

const checkedByHeader = 'checked by';
const isHeader = 'set up as';

/** What the envelope said, and what the address it came to is for. */
export interface MailMarks {
  /** The sender in the envelope (RFC 5321 section 2.3.1); '' for a report. */
  readonly from: string;
  readonly to: string;
  /** The machine that brought it. */
  readonly cameFrom: string;
  /** The server whose checks of senders count; '' for none. */
  readonly trusted: string;
  /** Through how many workflows its record has gone. */
  readonly hops: number;
  /** What it is to the setting up of forwarding, where it is no record. */
  readonly is?: 'probe' | 'confirmation' | undefined;
}

/** The marks as they are kept. */
export const keptMarks = ({ from, to, cameFrom, trusted, hops, is }: MailMarks): Record<string, string> => ({
  'mail from': from,
  'rcpt to': to,
  'came from': cameFrom,
  ...(trusted !== '' && { [checkedByHeader]: trusted }),
  ...(hops > 0 && { [hopsHeader]: String(hops) }),
  ...(is && { [isHeader]: is }),
});

/** The server whose checks of senders counted when a mail came; undefined for none, and for what is no mail. */
export const checkedBy = (headers: string): string | undefined => read(headers, checkedByHeader);

/** What a mail was to the setting up of forwarding; undefined for a mail like any. */
export const markIn = (headers: string): MailMarks['is'] => read(headers, isHeader) as MailMarks['is'];

const read = (headers: string, name: string): string | undefined =>
  headers.includes(name) ? (JSON.parse(headers) as Record<string, string>)[name] : undefined;
