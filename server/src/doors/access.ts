import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import ipaddr from 'ipaddr.js';
import { Webhook } from 'standardwebhooks';
import type { Access, DoorSetting } from './setting.ts';

/** What came to a door, as far as it tells who sent it. */
export interface Knock {
  readonly from: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Uint8Array;
}

/** Seconds by which the time of a signed event may be off: older ones could be somebody's copy (Standard Webhooks: five minutes). */
export const tolerance = 5 * 60;

/**
 * Why somebody may not post, as a sentence; undefined where they may. Nothing of a secret is in it.
 *
 * @param now - UTC, ISO 8601
 */
export function whyNotAllowed(
  { access, networks }: Pick<DoorSetting, 'access' | 'networks'>,
  secret: string,
  knock: Knock,
  now: string,
): string | undefined {
  if (networks.length > 0 && !networks.some((network) => isWithin(knock.from, network)))
    return `It came from ${knock.from}, which is in none of the networks that may post.`;
  switch (access.kind) {
    case 'anybody':
      return undefined;
    case 'secret':
      return bySecret(access, secret, knock);
    case 'standard':
      return byStandard(secret, knock, now);
    case 'signature':
      return bySignature(access, secret, knock, now);
  }
}

function bySecret({ header }: Extract<Access, { kind: 'secret' }>, secret: string, { headers }: Knock) {
  const given = headers[header];
  if (given === undefined) return `It has no header “${header}” with the secret.`;
  // "Bearer", one space, the secret (RFC 6750, section 2.1).
  return isEqual(given.replace(/^Bearer /i, ''), secret) ? undefined : `The secret in its header “${header}” is wrong.`;
}

/** Standard Webhooks: headers webhook-id, webhook-timestamp, and webhook-signature with one or more signatures. */
function byStandard(secret: string, { headers, body }: Knock, now: string): string | undefined {
  const [id, time, signature] = ['webhook-id', 'webhook-timestamp', 'webhook-signature'].map((name) => headers[name]);
  if (!id || !time || !signature)
    return 'It isn’t signed: the headers “webhook-id”, “webhook-timestamp” and “webhook-signature” are missing, or one of them is.';
  const late = whyLate(time, now);
  if (late) return late;
  const right = new Webhook(secret).sign(id, new Date(Number(time) * 1000), Buffer.from(body).toString('utf8'));
  return signature.split(' ').some((one) => isEqual(one, right)) ? undefined : wrongSignature;
}

function bySignature(
  access: Extract<Access, { kind: 'signature' }>,
  secret: string,
  { headers, body }: Knock,
  now: string,
): string | undefined {
  const given = headers[access.header];
  if (given === undefined) return `It isn’t signed: it has no header “${access.header}”.`;
  const named = (name: string | undefined): string => (name === undefined ? '' : (headers[name] ?? ''));
  const time = named(access.timeHeader);
  if (access.timeHeader !== undefined) {
    const late = whyLate(time, now);
    if (late) return late;
  }
  const hmac = createHmac(access.algorithm, secret);
  for (const piece of access.signs.split(/(\{(?:body|time|id)\})/)) {
    if (piece === '{body}') hmac.update(body);
    else if (piece === '{time}') hmac.update(time);
    else if (piece === '{id}') hmac.update(named(access.idHeader));
    else hmac.update(piece);
  }
  const right = hmac.digest(access.encoding);
  // Hexadecimal digits are written either way.
  const bare = given.startsWith(access.prefix) ? given.slice(access.prefix.length) : given;
  const said = access.encoding === 'hex' ? bare.toLowerCase() : bare;
  return isEqual(said, right) ? undefined : wrongSignature;
}

const wrongSignature = 'Its signature is wrong: another secret was used, or the event was changed on its way.';

/** Why a signed time (Unix seconds) doesn't count. */
function whyLate(time: string, now: string): string | undefined {
  const at = Number(time);
  if (time === '' || !Number.isFinite(at))
    return 'Its time can’t be read: it should be a number of seconds since 1970.';
  const apart = Math.abs(Date.parse(now) / 1000 - at);
  return apart <= tolerance
    ? undefined
    : `Its time is ${Math.round(apart / 60)} minutes off, so it may be a copy of an earlier one. If it is new, the clock of one of the two machines is wrong.`;
}

/** Whether two texts are equal, in a time that tells nothing of where they differ. */
function isEqual(one: string, other: string): boolean {
  const digest = (text: string): Buffer => createHash('sha256').update(text).digest();
  return timingSafeEqual(digest(one), digest(other));
}

/** Whether an address lies in a network: an address, or a range in CIDR notation. */
export function isWithin(address: string, network: string): boolean {
  if (!ipaddr.isValid(address)) return false;
  const own = ipaddr.process(address);
  const range = readNetwork(network);
  if (!range) return false;
  const [at, bits] = range;
  return own.kind() === at.kind() && own.match([at, bits] as [ipaddr.IPv4, number]);
}

/** Whether a text names a network. */
export const isNetwork = (text: string): boolean => readNetwork(text) !== undefined;

function readNetwork(text: string): [ipaddr.IPv4 | ipaddr.IPv6, number] | undefined {
  try {
    if (text.includes('/')) return ipaddr.parseCIDR(text);
    const at = ipaddr.process(text);
    return [at, at.kind() === 'ipv4' ? 32 : 128];
  } catch {
    return undefined;
  }
}
