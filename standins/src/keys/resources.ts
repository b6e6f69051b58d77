import type { Kept } from '../kit/records.ts';
import type { Account, Group, KeyStore, Multi } from './store.ts';

// Accounts and groups as SCIM resources (RFC 7643 sections 4.1 and 4.2).

export const userSchema = 'urn:ietf:params:scim:schemas:core:2.0:User';
export const groupSchema = 'urn:ietf:params:scim:schemas:core:2.0:Group';
export const enterpriseSchema = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';

const meta = (resourceType: string, path: string, kept: Kept) => ({
  resourceType,
  created: kept.created_at,
  lastModified: kept.updated_at,
  location: `${path}/${kept.id}`,
  version: etagOf(kept),
});

/** The version of a resource: a weak entity tag. */
export const etagOf = ({ id, updated_at }: Kept): string => `W/"${id}-${Date.parse(updated_at)}"`;

/** What isn't there is left out (RFC 7643 section 2.5). */
const present = (record: object): object =>
  Object.fromEntries(
    Object.entries(record).filter(
      ([, value]) => value !== null && value !== undefined && !(Array.isArray(value) && value.length === 0),
    ),
  );

/** An account as a User. */
export function userOf(store: KeyStore, account: Account & Kept): Record<string, unknown> {
  const { id, name, department } = account;
  const groups = store.groupsOf(id).map((group) => ({ value: String(group.id), display: group.displayName }));
  return {
    schemas: department === null ? [userSchema] : [userSchema, enterpriseSchema],
    id: String(id),
    ...present({
      externalId: account.externalId,
      userName: account.userName,
      name: name.givenName === null && name.familyName === null ? null : present(name),
      displayName: account.displayName,
      title: account.title,
      emails: account.emails,
      phoneNumbers: account.phoneNumbers,
      active: account.active,
      groups,
      ...(department !== null && { [enterpriseSchema]: { department } }),
    }),
    meta: meta('User', '/Users', account),
  };
}

/** A group as a Group. */
export function groupOf(store: KeyStore, group: Group & Kept): Record<string, unknown> {
  const members = group.members.map((id) => ({
    value: String(id),
    display: store.accounts.get(id)?.userName ?? '',
    type: 'User',
  }));
  return {
    schemas: [groupSchema],
    id: String(group.id),
    ...present({ externalId: group.externalId, displayName: group.displayName, members }),
    meta: meta('Group', '/Groups', group),
  };
}

const text = (value: unknown, most = 200): string | null =>
  typeof value === 'string' && value.trim() !== '' ? value.trim().slice(0, most) : null;

const multi = (value: unknown): Multi[] =>
  (Array.isArray(value) ? value : []).flatMap((one): Multi[] => {
    const given = text((one as { value?: unknown })?.value);
    if (given === null) return [];
    const { type, primary } = one as { type?: unknown; primary?: unknown };
    return [{ value: given, ...(text(type) && { type: text(type) as string }), ...(primary === true && { primary }) }];
  });

/** A User as it is kept; a text says what is wrong with it. */
export function accountOf(user: Readonly<Record<string, unknown>>): Account | string {
  const userName = text(user['userName']);
  if (userName === null) return 'userName is required.';
  if (/\s/.test(userName)) return 'userName must not hold spaces.';
  const name = (user['name'] ?? {}) as Record<string, unknown>;
  const enterprise = (user[enterpriseSchema] ?? {}) as Record<string, unknown>;
  const { active = true } = user;
  if (typeof active !== 'boolean') return 'active is true or false.';
  return {
    userName,
    externalId: text(user['externalId']),
    name: { givenName: text(name['givenName']), familyName: text(name['familyName']) },
    displayName: text(user['displayName']),
    title: text(user['title']),
    department: text(enterprise['department']),
    emails: multi(user['emails']),
    phoneNumbers: multi(user['phoneNumbers']),
    active,
  };
}
