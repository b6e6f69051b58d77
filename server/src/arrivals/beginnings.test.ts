import type { CallSpec, WorkflowContent } from '@golden/core';
import { mostHops, sentenceText, writeBrief } from '@golden/core';
import { listen } from '@golden/standins';
import { makeDoor } from '../doors/door-app.ts';
import { newDoorSetting } from '../doors/setting.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { decide, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customer, customersWorkflow, emptyWorkbook, fieldFilling, placeOf, rowsOf } from '../testing/world.ts';
import { beginningOf } from './beginnings.ts';

// Workflows that a person begins, that the time begins, and that begin after another. Judged by the rows that stand there.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;
const hour = 60 * 60_000;

beforeEach(async () => {
  around.world.shelf.files.replace('done.xlsx', await emptyWorkbook('Done', ['What', 'Which']), undefined);
});

const ask = <T>(method: string, path: string, body?: unknown): Promise<T> =>
  askApi<T>(around.services, method, path, body);

/** A draft that begins in some way and writes two of its fields into a list, made live. */
async function begun(way: object, what: string, which: string, trigger?: object): Promise<string> {
  const { services, connected } = around;
  const { id, rev, content } = await ask<{ id: string; rev: number; content: WorkflowContent }>(
    'POST',
    '/api/starts',
    way,
  );
  const list = {
    id: 'list',
    kind: 'write' as const,
    target: await placeOf(services, connected.shelf, ['done.xlsx', 'Done']),
    mode: 'append' as const,
    mapping: { '/What': fieldFilling(what), '/Which': fieldFilling(which) },
  };
  const start = { ...content.start, ...(trigger && { trigger: trigger as never }) };
  await services.workflows.saveDraft(id, { ...content, zone: 'UTC', start, steps: [list] }, rev);
  return id;
}

async function makeLive(id: string): Promise<void> {
  await around.services.engine.finish((await around.services.engine.makeLive(id)).run);
  await rest();
}

async function rest(): Promise<void> {
  for (let times = 0; times < 3; times++) {
    await around.services.engine.quiet();
    await around.services.engine.tick();
  }
  await settled(around.services);
}

const done = async () =>
  (await rowsOf(around.world.shelf.files.get('done.xlsx')?.bytes ?? Buffer.alloc(0), 'Done')).map(
    (row) => [row['What'], row['Which']] as const,
  );

describe('by hand', () => {
  const way = {
    kind: 'hand',
    name: 'A kiln visit',
    asks: [
      { label: 'Customer', type: 'text', isRequired: true },
      { label: 'Kind', type: 'choice', options: ['repair', 'advice'], isRequired: false },
    ],
  };

  test('what is asked for is the record; each time counts, and nothing begins by itself', async () => {
    const id = await begun(way, '/Customer', '/Kind');
    await makeLive(id);
    expect(await ask('GET', `/api/workflows/${id}/asks`)).toEqual({ asks: way.asks });
    for (const answers of [
      { Customer: 'Zoë', Kind: 'repair' },
      { Customer: 'Zoë', Kind: 'repair' },
      { Customer: 'Bo' },
    ]) {
      const { run } = await ask<{ run: string }>('POST', `/api/workflows/${id}/begin`, { answers });
      await around.services.engine.finish(run);
    }
    clock().pass(48 * hour);
    await rest();
    expect(await done()).toEqual([
      ['Zoë', 'repair'],
      ['Zoë', 'repair'],
      ['Bo', null],
    ]);
    const { content } = await around.services.workflows.version(id, 1);
    expect(sentenceText(writeBrief(content, {})[0] as never)).toBe('When somebody begins it by hand, from now on.');
  });

  test('what is missing, or isn’t offered, is told and begins nothing; so is a workflow that isn’t live', async () => {
    const id = await begun(way, '/Customer', '/Kind');
    const begin = (answers: object) => ask('POST', `/api/workflows/${id}/begin`, { answers });
    await expect(begin({ Customer: 'Zoë' })).rejects.toThrow('isn’t live');
    await makeLive(id);
    await expect(begin({ Kind: 'repair' })).rejects.toThrow('“Customer” is missing.');
    await expect(begin({ Customer: 'Zoë', Kind: 'theft' })).rejects.toThrow('“theft” isn’t offered for “Kind”.');
    await rest();
    expect(await done()).toEqual([]);
    await expect(
      ask('POST', '/api/starts', { ...way, asks: [way.asks[0], { ...way.asks[0], label: 'customer' }] }),
    ).rejects.toThrow('Two questions have the same name');
  });
});

test('at a time: each is a record once, with its date by the workflow’s clock; killed meanwhile it counts once all the same', async () => {
  const at = new Date(Date.parse(clock().now()) + hour).toISOString();
  const trigger = { kind: 'times', at: [at.slice(11, 16)], days: [1, 2, 3, 4, 5, 6, 7] };
  const id = await begun({ kind: 'time', name: 'The daily reminder' }, '/date', '/time', trigger);
  await makeLive(id);
  expect(await done()).toEqual([]);
  clock().pass(1.02 * hour);
  await rest();
  expect(await done()).toEqual([[new Date(at.slice(0, 10)), at.slice(11, 16)]]);
  await around.reopen({ seams: clock().next() });
  await around.services.engine.resume();
  await rest();
  expect(await done()).toHaveLength(1);
  clock().pass(24 * hour);
  await rest();
  expect(await done()).toHaveLength(2);
});

describe('after another workflow', () => {
  const add = (email: string, more: object = {}) => around.world.shop.store.add(customer({ email, ...more }));

  test('each record that it delivers begins it, once, knowing what was written; what needs a person only when that is settled', async () => {
    const first = await customersWorkflow(around.services, around.connected);
    const id = await begun({ kind: 'after', workflow: first, moment: 'record' }, '/record/email', '/wrote/list/id');
    await makeLive(first);
    add('one@clay.example');
    add('two@clay.example', { phone: 'ask Robin' });
    await makeLive(id);
    await around.services.engine.finish(await around.services.engine.checkNow(first));
    await rest();
    const delivered = await around.services.db
      .selectFrom('item')
      .select(['id', 'state'])
      .where('workflow_id', '=', first)
      .orderBy('seq')
      .execute();
    const rows = await done();
    expect(rows).toHaveLength(delivered.filter(({ state }) => state === 'delivered').length);
    expect(rows[0]?.[0]).toBe('one@clay.example');
    for (const one of delivered.filter(({ state }) => state === 'unsettled'))
      await decide(around.services, one.id, { kind: 'retry' });
    await around.reopen({ seams: clock().next() });
    await around.services.engine.resume();
    await rest();
    expect((await done()).map(([email]) => email)).toEqual([...new Set((await done()).map(([email]) => email))]);
  });

  test('after a run: only when all of it was delivered, or in any case', async () => {
    const first = await customersWorkflow(around.services, around.connected);
    const whole = await begun({ kind: 'after', workflow: first, moment: 'whole_run' }, '/takenIn', '/delivered');
    const any = await begun({ kind: 'after', workflow: first, moment: 'run' }, '/needsYou', '/takenIn');
    await makeLive(first);
    await makeLive(whole);
    await makeLive(any);
    const before = (await done()).length;
    add('one@clay.example');
    await around.services.engine.finish(await around.services.engine.checkNow(first));
    await rest();
    const after = (await done()).slice(before);
    expect(after).toHaveLength(2);
    expect(after).toEqual(
      expect.arrayContaining(
        [
          ['1', '1'],
          ['0', '1'],
        ].map((row) => row.map(Number)),
      ),
    );
  });

  test('a circle is refused while it is built, and before it goes live', async () => {
    const first = await customersWorkflow(around.services, around.connected);
    const second = await ask<{ id: string }>('POST', '/api/starts', {
      kind: 'after',
      workflow: first,
      moment: 'record',
    });
    const round = { kind: 'after', workflow: second.id, moment: 'record' } as const;
    const circle = /(begin after|set) each other .*without end: .* → .* → /;
    await expect(ask('POST', `/api/workflows/${first}/start`, round)).rejects.toThrow(circle);
    // A draft that comes by another way, such as an older version taken back.
    const { draft, draftRev } = await around.services.workflows.get(first);
    const { start } = await beginningOf(around.services, round);
    await around.services.workflows.saveDraft(first, { ...draft, start }, draftRev);
    await expect(ask('POST', `/api/workflows/${first}/live`)).rejects.toThrow(circle);
  });

  test('what has gone through ten workflows needs somebody, who may let it go on', async () => {
    const { services } = around;
    const asks = [{ label: 'A', type: 'text', isRequired: false }];
    const first = await begun({ kind: 'hand', name: 'Round', asks }, '/A', '/A');
    const id = await begun({ kind: 'after', workflow: first, moment: 'record' }, '/record/A', '/wrote/list/id');
    await makeLive(first);
    await makeLive(id);
    const [inbox = ''] = (await services.workflows.get(first)).draft.start.source?.path ?? [];
    for (const hops of [mostHops - 2, mostHops - 1])
      await services.arrivals.store({
        inbox,
        key: `h-${hops}`,
        mediaType: 'application/json',
        headers: { 'golden-hops': String(hops) },
        body: Buffer.from(JSON.stringify({ A: String(hops) })),
      });
    await services.engine.finish(await services.engine.checkNow(first));
    await rest();
    expect((await done()).map(([what]) => what)).toEqual(['8', '9', '8']);
    const [stopped] = await services.db
      .selectFrom('item')
      .select(['id', 'workflow_id', 'cause', 'message'])
      .where('state', '=', 'unsettled')
      .execute();
    expect(stopped).toMatchObject({ workflow_id: id, cause: 'circle' });
    expect(stopped?.message).toContain('gone through 10 workflows');
    await services.engine.decide(stopped?.id ?? '', { kind: 'retry' });
    await rest();
    expect((await done()).map(([what]) => what)).toEqual(['8', '9', '8', '9']);
  });

  test('a call that leads back to a posted start carries how far its record has come, until somebody looks', async () => {
    const { services } = around;
    await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
    const { id, rev, content } = await ask<{ id: string; rev: number; content: WorkflowContent }>(
      'POST',
      '/api/starts',
      { kind: 'posted', name: 'Round by calls' },
    );
    const [door = ''] = content.start.source?.path ?? [];
    await services.doors.change(door, newDoorSetting, 'a secret');
    await services.arrivals.storeRecord(door, 'a sample', { no: 'sample' });
    const at = await listen(makeDoor(services), 0);
    try {
      const settings = { address: at.url, header: 'x-secret' };
      const { id: calls } = await services.connections.add({
        app: 'web_address',
        name: 'Us',
        settings,
        key: 'a secret',
      });
      const call: CallSpec = {
        method: 'POST',
        address: `/in/${(await services.doors.of(door)).address}`,
        headers: [],
        fields: [{ path: '/no', label: 'no', type: 'text' }],
        onlyReads: false,
      };
      const target = await placeOf(services, calls, [JSON.stringify(call)]);
      const step = { id: 'on', kind: 'write' as const, target, mode: 'append' as const };
      const start = {
        ...content.start,
        source: await placeOf(services, content.start.source?.connection ?? '', [door]),
      };
      await services.workflows.saveDraft(
        id,
        { ...content, start, steps: [{ ...step, mapping: { '/no': fieldFilling('/no') } }] },
        rev,
      );
      await makeLive(id);
      await services.arrivals.storeRecord(door, 'the first', { no: '7' });
      const states = async () =>
        (await services.db.selectFrom('item').select(['state', 'cause']).orderBy('seq').execute()).map(
          ({ state, cause }) => cause ?? state,
        );
      for (let times = 0; times < mostHops + 2; times++) {
        await services.engine.finish(await services.engine.checkNow(id));
        await rest();
      }
      expect(await states()).toEqual([...Array.from({ length: mostHops }, () => 'delivered'), 'circle']);
    } finally {
      await at.close();
    }
  });
});

describe('as a file', () => {
  test.each<[string, object]>([
    ['posted events', { kind: 'posted', name: 'Orders' }],
    ['files', { kind: 'file', name: 'Sales' }],
    ['by hand', { kind: 'hand', name: 'A visit', asks: [{ label: 'Customer', type: 'text', isRequired: true }] }],
    ['a time', { kind: 'time', name: 'Mondays' }],
  ])('%s: exported and taken up again, it has an inbox and an address of its own', async (_name, way) => {
    const first = await ask<{ id: string; content: WorkflowContent }>('POST', '/api/starts', way);
    const file = await ask<object>('GET', `/api/workflows/${first.id}/export`);
    const text = JSON.stringify(file);
    const [inbox = ''] = first.content.start.source?.path ?? [];
    const door = await around.services.db
      .selectFrom('door')
      .selectAll()
      .where('inbox_id', '=', inbox)
      .executeTakeFirst();
    if (door) {
      expect(text).not.toContain(door.address);
      expect(text).not.toContain((await around.services.doors.of(inbox)).secret);
    }
    const look = await ask<{ connections: object[] }>('POST', '/api/workflows/import/look', { text });
    expect(look.connections).toEqual([]);
    const second = await ask<typeof first>('POST', '/api/workflows/import', { text, connections: {} });
    const [own = ''] = second.content.start.source?.path ?? [];
    expect(own).not.toBe(inbox);
    expect(await ask('GET', `/api/workflows/${second.id}/asks`)).toEqual(
      await ask('GET', `/api/workflows/${first.id}/asks`),
    );
    const of = async (id: string) => ({
      isDoor: (await around.services.db.selectFrom('door').select('address').where('inbox_id', '=', id).execute())
        .length,
      takes: await around.services.db.selectFrom('file_start').select('setting').where('inbox_id', '=', id).execute(),
    });
    expect(await of(own)).toEqual(await of(inbox));
  });

  test('one that is damaged where it says how it begins is told so', async () => {
    const { id } = await ask<{ id: string }>('POST', '/api/starts', { kind: 'posted', name: 'Orders' });
    const file = await ask<{ beginning: object }>('GET', `/api/workflows/${id}/export`);
    const text = JSON.stringify({ ...file, beginning: { ...file.beginning, door: { access: { kind: 'nobody' } } } });
    await expect(ask('POST', '/api/workflows/import', { text, connections: {} })).rejects.toThrow(
      /damaged at beginning → door → access/,
    );
  });
});
