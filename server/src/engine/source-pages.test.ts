import type { Connector, ListRequest, Page, SourceRecord } from '@golden/connectors';
import { emptyContent, type RecordType, type Start } from '@golden/core';
import fc from 'fast-check';
import { checkSource, sourcePages, sourcePlaces } from './source-pages.ts';

const described: RecordType = {
  name: 'tab',
  singular: 'row',
  plural: 'rows',
  can: { list: true, find: true, create: true, update: true, readBack: true },
  fields: [
    { path: '/id', label: 'id', type: 'id', readOnly: true },
    { path: '/name', label: 'name', type: 'text' },
    { path: '/phone', label: 'phone', type: 'text' },
  ],
};

/** An app with tabs of so many records each, given two at a time with a cursor. */
function appWith(tabs: Readonly<Record<string, number>>): Connector {
  const list = async ({ path, cursor }: ListRequest): Promise<Page> => {
    const count = tabs[path[1] ?? ''] ?? 0;
    const from = Number(cursor ?? 0);
    const records = Array.from({ length: Math.min(2, count - from) }, (_, at): SourceRecord => {
      const id = String(from + at + 1);
      return { id, record: { id, name: `${path[1]} ${id}`, phone: '1' }, updated: '2026-11-23T12:00:00Z' };
    });
    return { records, cursor: from + 2 < count ? String(from + 2) : null };
  };
  return {
    list,
    describe: async () => described,
    places: async () => Object.entries(tabs).map(([id, holds]) => ({ id, label: id, isPlace: true, holds })),
  } as Partial<Connector> as Connector;
}

const startOf = (more: Partial<Start> = {}): Start => ({
  ...emptyContent('x').start,
  source: { connection: 'c', path: ['file', 'A'], labels: ['file', 'A'], described },
  ...more,
});

async function idsOf(connector: Connector, start: Start, cursor?: string): Promise<string[]> {
  const ids: string[] = [];
  for await (const page of sourcePages(connector, start, { cursor })) ids.push(...page.records.map((one) => one.id));
  return ids;
}

test('gone on with at any page’s cursor, a listing of several places gives just the rest', async () => {
  const counts = fc.record({ A: fc.nat(7), B: fc.nat(7), C: fc.nat(7) });
  await fc.assert(
    fc.asyncProperty(counts, fc.boolean(), async (tabs, isAll) => {
      const connector = appWith(tabs);
      const start = startOf(isAll ? { also: { kind: 'all' } } : {});
      const whole = await idsOf(connector, start);
      expect(new Set(whole).size).toBe(whole.length);
      expect(whole).toHaveLength(isAll ? tabs.A + tabs.B + tabs.C : tabs.A);
      const read: string[] = [];
      for await (const page of sourcePages(connector, start)) {
        read.push(...page.records.map((one) => one.id));
        const rest = page.cursor === null ? [] : await idsOf(connector, start, page.cursor);
        expect([...read, ...rest]).toEqual(whole);
      }
    }),
    { seed: 21, numRuns: 60 },
  );
});

test('all beside it leaves empty places out, and its own is never read twice', async () => {
  const places = await sourcePlaces(appWith({ A: 2, B: 0, C: 1 }), startOf({ also: { kind: 'all' } }));
  expect(places.map((place) => [place.label, place.prefix])).toEqual([
    ['A', ''],
    ['C', 'C · '],
  ]);
});

test('picked fields are all that is given, with the id and without the app’s own mark of changes', async () => {
  for await (const page of sourcePages(appWith({ A: 1 }), startOf({ fields: ['/name'] }))) {
    expect(page.records).toEqual([{ id: '1', record: { id: '1', name: 'A 1' } }]);
  }
});

test('a place that lost a field which is used stops the listing; one that lost another doesn’t', async () => {
  const content = {
    ...emptyContent('x'),
    start: startOf(),
    steps: [
      {
        id: 'keep',
        kind: 'condition' as const,
        condition: {
          kind: 'test' as const,
          ref: { step: 'start', path: '/name' },
          operator: 'is_not_empty' as const,
          values: [],
        },
      },
    ],
  };
  const without = (path: string): Connector => ({
    ...appWith({ A: 1 }),
    describe: async () => ({ ...described, fields: described.fields.filter((field) => field.path !== path) }),
  });
  await expect(checkSource(without('/name'), content)).rejects.toThrow('“name” isn’t there any more');
  await expect(checkSource(without('/phone'), content)).resolves.toBeUndefined();
});

test('a place that comes up or goes while a listing is stopped neither breaks it nor loses a record', async () => {
  const start = startOf({ also: { kind: 'all' } });
  const pages = sourcePages(appWith({ A: 3 }), start);
  const first = (await pages.next()).value as Page;
  expect(await idsOf(appWith({ A: 3, B: 2 }), start, first.cursor ?? '')).toEqual(['3', 'B · 1', 'B · 2']);
  const inB = JSON.stringify(['file\nB', '2']);
  expect(await idsOf(appWith({ A: 3 }), start, inB)).toEqual(['1', '2', '3']);
});
