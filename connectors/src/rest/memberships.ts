import { type Field, isRecord, type JsonRecord, toText } from '@golden/core';
import type { Page, SourceRecord, WriteRequest, Written } from '../connector.ts';
import { NotThere, Refused } from '../errors.ts';
import type { HttpClient } from '../http/client.ts';
import { joinPatch, leavePatch, nextStart, scimFilter, scimType } from './scim.ts';

// Who is in which group, as records of their own: SCIM keeps the members within their group (RFC 7643 section 4.2),
// and lets one be added or taken out by a patch of it (RFC 7644 section 3.5.2). Adding one that is in it changes nothing.

const groups = '/Groups';
const separator = '~';

/** The fields of a membership. */
export const membershipFields: readonly Field[] = [
  { path: '/id', label: 'id', type: 'id', readOnly: true, unique: true },
  { path: '/group', label: 'group', type: 'id', idOf: 'Groups', required: true },
  { path: '/account', label: 'account', type: 'id', idOf: 'Users', required: true },
  { path: '/groupName', label: 'name of the group', type: 'text', readOnly: true },
  { path: '/accountName', label: 'name of the account', type: 'text', readOnly: true },
];

/** Memberships of accounts in groups. */
export class Memberships {
  constructor(
    private readonly http: HttpClient,
    private readonly title: string,
  ) {}

  async list(cursor: string | undefined): Promise<Page> {
    const query = { count: '50', ...(cursor && { startIndex: cursor }) };
    const listing = await this.read(groups, query);
    return { records: groupsIn(listing).flatMap(membersOf), cursor: nextStart(listing) };
  }

  async fetch(id: string): Promise<SourceRecord | null> {
    const [group = '', member] = id.split(separator);
    try {
      const found = await this.read(`${groups}/${encodeURIComponent(group)}`);
      return membersOf(found).find(({ record }) => record['account'] === member) ?? null;
    } catch (error) {
      if (error instanceof NotThere) return null;
      throw error;
    }
  }

  /** By the account, or by the group. */
  async find(path: string, value: string): Promise<SourceRecord[]> {
    if (path === '/group') {
      const found = await this.read(groups, { filter: scimFilter('id', value) });
      return groupsIn(found).flatMap(membersOf);
    }
    const found = await this.read(groups, { filter: scimFilter('members.value', value), count: '200' });
    return groupsIn(found)
      .flatMap(membersOf)
      .filter(({ record }) => record['account'] === value);
  }

  /** @throws Refused where the group or the account isn't said, or isn't there */
  async create({ write }: WriteRequest): Promise<Written> {
    const [group, member] = [toText(write.values['/group']), toText(write.values['/account'])];
    if (group === '' || member === '') throw new Refused('A membership needs a group and an account.', []);
    try {
      await this.patch(group, joinPatch(member));
    } catch (error) {
      if (!(error instanceof NotThere)) throw error;
      const message = `${this.title} has no such group.`;
      throw new Refused(message, [{ path: '/group', label: 'group', message }], { cause: error });
    }
    const id = `${group}${separator}${member}`;
    const made = await this.fetch(id).catch(() => null);
    return { id, ...(made && { record: made.record }) };
  }

  async remove(id: string): Promise<undefined> {
    const [group = '', member = ''] = id.split(separator);
    await this.patch(group, leavePatch(member));
  }

  private async patch(group: string, json: JsonRecord): Promise<void> {
    const path = `${groups}/${encodeURIComponent(group)}`;
    await this.http.write({ method: 'PATCH', path, json, headers: { 'content-type': scimType } });
  }

  private async read(path: string, query?: Record<string, string>): Promise<JsonRecord> {
    return this.http.jsonData(await this.http.read({ method: 'GET', path, ...(query && { query }) }));
  }
}

const groupsIn = (listing: JsonRecord): JsonRecord[] =>
  Array.isArray(listing['Resources']) ? listing['Resources'].filter(isRecord) : [];

function membersOf(group: JsonRecord): SourceRecord[] {
  const members = Array.isArray(group['members']) ? group['members'].filter(isRecord) : [];
  const [id, name] = [toText(group['id']), toText(group['displayName'])];
  return members.map((one) => {
    const account = toText(one['value']);
    const record = {
      id: `${id}${separator}${account}`,
      group: id,
      account,
      groupName: name,
      accountName: toText(one['display']),
    };
    return { id: record.id, record };
  });
}
