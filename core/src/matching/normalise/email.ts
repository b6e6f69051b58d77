import { fold } from '../text/fold.ts';

/** An address taken apart; both parts are folded. */
export interface EmailParts {
  readonly local: string;
  readonly domain: string;
  /** A mailbox that several people read: who uses it says nothing of who they are. */
  readonly isShared: boolean;
}

/** How addresses of one mailbox may differ. RFC 5321 leaves that to the receiving host, so only what is told counts. */
export interface EmailHabits {
  /** `ann+orders@` is `ann@` */
  readonly plusTags?: boolean;
  /** `a.nn@` is `ann@` */
  readonly dots?: boolean;
}

/** Mailboxes for a role: those of RFC 2142, and others in common use. */
const roles = new Set(
  `info marketing sales support abuse noc security postmaster hostmaster usenet news webmaster www uucp ftp
   office contact contacts hello mail admin administration accounts accounting billing invoices orders order shop
   service kontakt buchhaltung rechnung vertrieb einkauf zentrale buero buro empfang verwaltung
   contabilita amministrazione ufficio acquisti vendite comptabilite commercial accueil administratie verkoop inkoop
   contacto ventas team enquiries reception purchasing hr jobs noreply`
    .split(/\s+/)
    .filter((one) => one !== ''),
);

/** The two parts of an e-mail address, or undefined where the text is none. */
export function emailParts(text: string, habits: EmailHabits = {}): EmailParts | undefined {
  const folded = fold(text)
    .replace(/\s+/g, '')
    .replace(/^mailto:/, '')
    .replace(/[<>;,]+/g, '');
  const at = folded.lastIndexOf('@');
  if (at < 1 || at === folded.length - 1) return undefined;
  let local = folded.slice(0, at);
  if (habits.plusTags) local = local.replace(/\+.*$/, '') || local;
  if (habits.dots) local = local.replaceAll('.', '');
  return { local, domain: folded.slice(at + 1), isShared: roles.has(local.replace(/[.\-_\d]+/g, '')) };
}

/** The local part's words: `anna.marie-wal` → anna, marie, wal. */
export function localWords(local: string): string[] {
  return local.split(/[._\-+]+/).filter((one) => one !== '');
}
