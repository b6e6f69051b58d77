/** Headers of a mail by their names in small letters; one that occurs several times has several values, the topmost first. */
export type MailHeaders = Readonly<Record<string, readonly string[]>>;

/** Who or what wrote a mail. */
export const mailKinds = ['person', 'automatic', 'list', 'bounce'] as const;
export type MailKind = (typeof mailKinds)[number];

const first = (headers: MailHeaders, name: string): string => (headers[name]?.[0] ?? '').trim();

/**
 * Whether a person wrote a mail, a program, a list, or a mail server that couldn't deliver one.
 * RFC 3834 section 5 (Auto-Submitted) and 2 (an empty return path is never answered); RFC 2919 and 2369 (lists); RFC 3464
 * and 6522 (reports). Precedence, X-Auto-Response-Suppress and senders' names such as mailer-daemon are common practice.
 *
 * @param sender - the address in From
 */
export function kindOfMail(headers: MailHeaders, sender: string): MailKind {
  const type = first(headers, 'content-type').toLowerCase();
  if (type.startsWith('multipart/report') && /report-type="?delivery-status/.test(type)) return 'bounce';
  const local = sender.split('@')[0]?.toLowerCase() ?? '';
  if (/^(?:mailer-daemon|mail-daemon)$/.test(local)) return 'bounce';
  const isListed = ['list-id', 'list-post', 'list-unsubscribe', 'mailing-list'].some((name) => headers[name]);
  if (isListed || /^(?:list|bulk)\b/i.test(first(headers, 'precedence'))) return 'list';
  const submitted = first(headers, 'auto-submitted').toLowerCase();
  if (submitted !== '' && !/^no\b/.test(submitted)) return 'automatic';
  if (/^(?:junk|auto_reply)\b/i.test(first(headers, 'precedence'))) return 'automatic';
  if (['x-autoreply', 'x-autorespond', 'x-auto-response-suppress'].some((name) => headers[name])) return 'automatic';
  if (first(headers, 'return-path') === '<>') return 'automatic';
  if (type.startsWith('multipart/report')) return 'automatic';
  return /^(?:no-?reply|do-?not-?reply|noreply[.+-].*|postmaster)$/.test(local) ? 'automatic' : 'person';
}

/**
 * Whether a mail server that is trusted has found that a mail comes from whom it says (RFC 8601). Only what that server put
 * on top counts: what stands below may have been written by anybody. SPF and DKIM prove a domain; it has to be the sender's own.
 *
 * @param server - the authserv-id of the trusted server; without one nothing is proven
 */
export function isProven(headers: MailHeaders, sender: string, server: string | undefined): boolean {
  const wanted = server?.trim().toLowerCase();
  const domain = sender.split('@')[1]?.toLowerCase();
  if (!wanted || !domain) return false;
  const [top] = headers['authentication-results'] ?? [];
  if (top === undefined) return false;
  const [id = '', ...results] = withoutComments(top).split(';');
  if (id.trim().split(/\s+/)[0]?.toLowerCase() !== wanted) return false;
  return results.some((result) => provesDomain(result.trim().toLowerCase(), domain));
}

function provesDomain(result: string, domain: string): boolean {
  const method = /^(dmarc|dkim|spf)\s*=\s*pass\b/.exec(result)?.[1];
  if (method === undefined) return false;
  const property = method === 'dmarc' ? 'header\\.from' : method === 'dkim' ? 'header\\.(?:d|i)' : 'smtp\\.mailfrom';
  const value = new RegExp(`${property}\\s*=\\s*"?([^\\s;"]+)`).exec(result)?.[1];
  const proven = value?.split('@').at(-1)?.replace(/\.$/, '');
  return proven !== undefined && (proven === domain || (domain.endsWith(`.${proven}`) && proven.includes('.')));
}

/** A header without its comments (RFC 5322 section 3.2.2). */
function withoutComments(text: string): string {
  let depth = 0;
  let kept = '';
  for (let at = 0; at < text.length; at++) {
    const sign = text[at] as string;
    if (sign === '\\') at += 1;
    else if (sign === '(') depth += 1;
    else if (sign === ')') depth = Math.max(0, depth - 1);
    else if (depth === 0) kept += sign;
  }
  return kept;
}
