import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { JsonRecord, PlannedWrite, Value } from '@golden/core';
import { cabinetKeys, keyCabinet, type Listening, listen } from '@golden/standins';
import fc from 'fast-check';
import { appsFor } from '../apps.ts';
import type { Connector } from '../connector.ts';
import { Refused } from '../errors.ts';
import { flattenScim, leavePatch, nextStart, scimBody, scimFilter, scimPatch, scimSchemas } from './scim.ts';

// The examples are those of RFC 7643 sections 8.1, 8.2, 8.4 and 8.7, and RFC 7644 sections 3.4.2, 3.5.2 and 3.12; typed
// from memory of the documents, shortened where the rest repeats itself.

const minimalUser: JsonRecord = {
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:User'],
  id: '2819c223-7f76-453a-919d-413861904646',
  userName: 'bjensen@example.com',
  meta: {
    resourceType: 'User',
    created: '2010-01-23T04:56:22Z',
    lastModified: '2011-05-13T04:42:34Z',
    version: 'W/"3694e05e9dff590"',
    location: 'https://example.com/v2/Users/2819c223-7f76-453a-919d-413861904646',
  },
};

const fullUser: JsonRecord = {
  ...minimalUser,
  externalId: '701984',
  name: { formatted: 'Ms. Barbara J Jensen, III', familyName: 'Jensen', givenName: 'Barbara' },
  displayName: 'Babs Jensen',
  emails: [
    { value: 'bjensen@example.com', type: 'work', primary: true },
    { value: 'babs@jensen.org', type: 'home' },
  ],
  phoneNumbers: [
    { value: '555-555-5555', type: 'work' },
    { value: '555-555-4444', type: 'mobile' },
  ],
  active: true,
  groups: [
    {
      value: 'e9e30dba-f08f-4109-8486-d5c6a331660a',
      $ref: 'https://example.com/v2/Groups/e9e30dba-f08f-4109-8486-d5c6a331660a',
      display: 'Tour Guides',
    },
  ],
};

const emailSchema: JsonRecord = {
  name: 'emails',
  type: 'complex',
  multiValued: true,
  description: 'Email addresses for the user.',
  required: false,
  subAttributes: [
    { name: 'value', type: 'string', multiValued: false },
    { name: 'display', type: 'string', multiValued: false },
    { name: 'type', type: 'string', multiValued: false, canonicalValues: ['work', 'home', 'other'] },
    { name: 'primary', type: 'boolean', multiValued: false },
  ],
  mutability: 'readWrite',
};

const userSchema: JsonRecord = {
  id: 'urn:ietf:params:scim:schemas:core:2.0:User',
  name: 'User',
  attributes: [
    {
      name: 'userName',
      type: 'string',
      multiValued: false,
      required: true,
      mutability: 'readWrite',
      uniqueness: 'server',
    },
    {
      name: 'name',
      type: 'complex',
      multiValued: false,
      required: false,
      subAttributes: [
        { name: 'familyName', type: 'string', multiValued: false, mutability: 'readWrite' },
        { name: 'givenName', type: 'string', multiValued: false, mutability: 'readWrite' },
      ],
      mutability: 'readWrite',
    },
    { name: 'active', type: 'boolean', multiValued: false, required: false, mutability: 'readWrite' },
    { name: 'password', type: 'string', multiValued: false, mutability: 'writeOnly', returned: 'never' },
    emailSchema,
    {
      name: 'groups',
      type: 'complex',
      multiValued: true,
      subAttributes: [
        { name: 'value', type: 'string', mutability: 'readOnly' },
        { name: 'display', type: 'string', mutability: 'readOnly' },
      ],
      mutability: 'readOnly',
    },
  ],
};

const schema = scimSchemas({ Resources: [userSchema] })['User'] ?? {};

describe('RFC 7643', () => {
  test('a user is one flat record: the primary address, the first number, and its times', () => {
    expect(flattenScim(minimalUser)).toEqual({
      id: '2819c223-7f76-453a-919d-413861904646',
      userName: 'bjensen@example.com',
      meta: { created: '2010-01-23T04:56:22Z', lastModified: '2011-05-13T04:42:34Z' },
    });
    expect(flattenScim(fullUser)).toMatchObject({
      emails: 'bjensen@example.com',
      phoneNumbers: '555-555-5555',
      name: { familyName: 'Jensen', givenName: 'Barbara' },
      active: true,
      groups: fullUser['groups'] as object,
    });
  });

  test('a schema says what is required, unique and only read; a password is no field', () => {
    expect(schema.required).toEqual(['userName']);
    expect(schema.properties).toMatchObject({
      id: { readOnly: true },
      userName: { type: 'string', 'x-unique': true },
      active: { type: 'boolean' },
      emails: { type: 'string', format: 'email', description: 'Email addresses for the user.' },
      groups: { type: 'array', readOnly: true },
    });
    expect(schema.properties).not.toHaveProperty('password');
  });
});

describe('RFC 7644', () => {
  test('what makes a user names its schema, and an address as one of several', () => {
    const values = {
      userName: 'bjensen',
      name: { familyName: 'Jensen', givenName: null },
      emails: 'bjensen@example.com',
    };
    expect(scimBody(values, schema, 'urn:ietf:params:scim:schemas:core:2.0:User')).toEqual({
      schemas: ['urn:ietf:params:scim:schemas:core:2.0:User'],
      userName: 'bjensen',
      name: { familyName: 'Jensen', givenName: null },
      emails: [{ value: 'bjensen@example.com', type: 'work', primary: true }],
    });
  });

  test('a patch names what changes; of several addresses the others stay', () => {
    expect(
      scimPatch({ '/name/familyName': 'Holm', '/active': false, '/emails': 'new@example.com' }, schema, fullUser),
    ).toEqual({
      schemas: ['urn:ietf:params:scim:api:messages:2.0:PatchOp'],
      Operations: [
        { op: 'replace', path: 'name.familyName', value: 'Holm' },
        { op: 'replace', path: 'active', value: false },
        {
          op: 'replace',
          path: 'emails',
          value: [
            { value: 'new@example.com', type: 'work', primary: true },
            { value: 'babs@jensen.org', type: 'home' },
          ],
        },
      ],
    });
    const department = '/urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/department';
    expect(scimPatch({ [department]: 'Tour Operations', '/name/givenName': null }, schema, undefined)).toMatchObject({
      Operations: [
        {
          op: 'replace',
          path: 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department',
          value: 'Tour Operations',
        },
        { op: 'remove', path: 'name.givenName' },
      ],
    });
    expect(leavePatch('2819c223-7f76-453a-919d-413861904646')).toMatchObject({
      Operations: [{ op: 'remove', path: 'members[value eq "2819c223-7f76-453a-919d-413861904646"]' }],
    });
  });

  test('a filter holds any text, and a listing ends where it ends', () => {
    expect(scimFilter('userName', 'bjensen')).toBe('userName eq "bjensen"');
    fc.assert(
      fc.property(fc.string(), (text) => {
        expect(JSON.parse(scimFilter('userName', text).slice('userName eq '.length))).toBe(text);
      }),
    );
    const page = (startIndex: number, shown: number, totalResults: number): JsonRecord => ({
      startIndex,
      totalResults,
      Resources: Array.from({ length: shown }, (): Value => ({})),
    });
    expect(nextStart(page(1, 10, 100))).toBe('11');
    expect(nextStart(page(91, 10, 100))).toBeNull();
    expect(nextStart(page(1, 0, 100))).toBeNull();
  });
});

describe('accounts and groups in the Key cabinet', () => {
  let folder: string;
  let at: Listening;
  let cabinet: ReturnType<typeof keyCabinet>;
  let connector: Connector;
  beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), 'golden-scim-'));
    cabinet = keyCabinet(join(folder, 'cabinet.sqlite'));
    at = await listen(cabinet.app, 0);
    connector = appsFor([], {})
      .find(({ id }) => id === 'key_cabinet')
      ?.open(
        { address: `${at.url}/api`, key: cabinetKeys[0]?.key ?? '' },
        { timeout: 30_000, retries: 0 },
      ) as Connector;
  });
  afterEach(async () => {
    await at.close();
    cabinet.store.close();
    rmSync(folder, { recursive: true, force: true });
  });

  const write = (type: string, values: PlannedWrite['values'], more: Partial<PlannedWrite> = {}): PlannedWrite => ({
    kind: 'create',
    target: { connection: 'c', path: [type], recordType: type },
    values,
    types: {},
    ...more,
  });

  test('a user name that is taken is told at its field, whatever its capitals', async () => {
    await connector.create({ write: write('Users', { '/userName': 'ada' }), token: 'one' });
    const refused: unknown = await connector
      .create({ write: write('Users', { '/userName': 'ADA' }), token: 'two' })
      .catch((error: unknown) => error);
    expect(refused).toBeInstanceOf(Refused);
    expect((refused as Refused).message).toContain('The user name “ADA” is taken.');
    expect((refused as Refused).fields.map(({ path }) => path)).toEqual(['/userName']);
    expect(await connector.findByToken?.(['Users'], 'one')).toMatchObject({ record: { userName: 'ada' } });
    expect(await connector.findByToken?.(['Users'], 'two')).toBeNull();
  });

  test('an account joins a group once, is found there, and leaves it again', async () => {
    const { id: account } = await connector.create({ write: write('Users', { '/userName': 'ada' }), token: 'one' });
    const { id: other } = await connector.create({ write: write('Users', { '/userName': 'bo' }), token: 'two' });
    const { id: group } = await connector.create({
      write: write('Groups', { '/displayName': 'New people' }),
      token: 'g',
    });
    const join_ = (member: string) =>
      connector.create({ write: write('memberships', { '/group': group, '/account': member }), token: member });
    const made = await join_(account);
    await join_(account);
    await join_(other);
    expect(cabinet.store.groups.get(Number(group))?.members).toEqual([Number(account), Number(other)]);
    expect(await connector.find(['memberships'], { path: '/account', value: account })).toEqual([
      expect.objectContaining({
        id: made.id,
        record: expect.objectContaining({ groupName: 'New people', accountName: 'ada' }),
      }),
    ]);
    await connector.remove(['memberships'], made.id, undefined);
    expect(cabinet.store.groups.get(Number(group))?.members).toEqual([Number(other)]);
    expect(await connector.fetch(['memberships'], made.id)).toBeNull();
    await expect(join_('999')).rejects.toMatchObject({ name: 'Refused' });
  });

  test('other addresses of an account stay when the primary one changes', async () => {
    const emails = [
      { value: 'ada@home.example', type: 'home' },
      { value: 'ada@work.example', type: 'work', primary: true },
    ];
    const { id } = cabinet.store.accounts.add({
      userName: 'ada',
      externalId: null,
      name: { givenName: null, familyName: 'Holm' },
      displayName: null,
      title: null,
      department: null,
      emails,
      phoneNumbers: [],
      active: true,
    });
    const before = (await connector.fetch(['Users'], String(id)))?.record;
    expect(before?.['emails']).toBe('ada@work.example');
    await connector.update({
      write: write('Users', { '/emails': 'ada@new.example' }, { kind: 'update', id: String(id) }),
      token: 't',
    });
    expect(cabinet.store.accounts.get(id)?.emails).toEqual([
      { value: 'ada@new.example', type: 'work', primary: true },
      { value: 'ada@home.example', type: 'home' },
    ]);
  });
});
