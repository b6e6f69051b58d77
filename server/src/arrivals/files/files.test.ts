import { existsSync, mkdtempSync, readdirSync, readFileSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { WorkflowContent } from '@golden/core';
import fc from 'fast-check';
import type { Api } from '../../api/types.ts';
import type { KillPoint } from '../../seams.ts';
import { productAroundEach } from '../../testing/around.ts';
import { askApi } from '../../testing/ask.ts';
import { goLive, settled, unbalanced } from '../../testing/checks.ts';
import type { TestClock } from '../../testing/clock.ts';
import { dropAt, pointsOfHandIns } from '../../testing/drop.ts';
import {
  customer,
  customersWorkflow,
  emptyWorkbook,
  fieldFilling,
  openServices,
  placeOf,
  rowsOf,
} from '../../testing/world.ts';
import { type FileSetting, fitsPattern, seriesOf } from './setting.ts';

// Files that start a workflow. Judged by the rows that stand in the destination, without our own tables.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
beforeEach(async () => {
  around.world.shelf.files.replace('done.xlsx', await emptyWorkbook('Done', ['No', 'What']), undefined);
});

type Look = Api['POST /api/files/:id/look']['response'];
type Taken = Api['POST /api/files/:id/take']['response'];

const ask = <T>(method: string, path: string, body?: unknown): Promise<T> =>
  askApi<T>(around.services, method, path, body);
const base64 = (content: string): string => Buffer.from(content).toString('base64');
const drop = (inbox: string, name: string, content: string, isEvenSo = false): Promise<Taken> =>
  ask('POST', `/api/files/${inbox}/take`, { name, bytes: base64(content), isEvenSo });
const look = (inbox: string, name: string, content: string): Promise<Look> =>
  ask('POST', `/api/files/${inbox}/look`, { name, bytes: base64(content) });
const csv = (...rows: readonly string[]): string => `${['No,What', ...rows].join('\r\n')}\r\n`;

interface Begun {
  readonly id: string;
  readonly inbox: string;
}

/** A workflow that starts with files and writes each row into a list: as a new one, or over the one of its number. */
async function begun(mode: 'append' | 'create_or_update' = 'append', setting?: Partial<FileSetting>): Promise<Begun> {
  const { services, connected } = around;
  const { id, rev, content } = await ask<{ id: string; rev: number; content: WorkflowContent }>('POST', '/api/starts', {
    kind: 'file',
    name: 'Till',
  });
  const inbox = await knownFields(content);
  const list = {
    id: 'list',
    kind: 'write' as const,
    target: await placeOf(services, connected.shelf, ['done.xlsx', 'Done']),
    mode,
    ...(mode === 'create_or_update' && { key: '/No' }),
    mapping: { '/No': fieldFilling('/No'), '/What': fieldFilling('/What') },
  };
  await services.workflows.saveDraft(id, { ...content, steps: [list] }, rev);
  if (setting)
    await services.files.change(inbox, { ...(await services.files.setting(inbox)), isProposed: false, ...setting });
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await rest();
  return { id, inbox };
}

/** Lets a draft know the columns before a file has shown them; gives its inbox. */
async function knownFields({ start }: WorkflowContent): Promise<string> {
  const [inbox = ''] = start.source?.path ?? [];
  const fields = ['No', 'What'].map((label) => ({ path: `/${label}`, label, type: 'text' as const }));
  start.source?.described.fields.push(...fields);
  await around.services.db
    .updateTable('inbox')
    .set({ fields: JSON.stringify(fields) })
    .where('id', '=', inbox)
    .execute();
  return inbox;
}

async function rest(): Promise<void> {
  for (let times = 0; times < 3; times++) {
    await around.services.folders.quiet();
    await around.services.engine.quiet();
    await around.services.engine.tick();
  }
  await settled(around.services);
}

const done = async (): Promise<string[]> =>
  (await rowsOf(around.world.shelf.files.get('done.xlsx')?.bytes ?? Buffer.alloc(0), 'Done')).map(
    (row) => `${row['No'] ?? ''} ${row['What'] ?? ''}`,
  );

describe('a file that is dropped', () => {
  test('each row is written once; the same file again is a repeat, under whatever name', async () => {
    const { inbox } = await begun();
    const monday = csv('1,clay', '2,glaze', '2,glaze', ',no number');
    expect(await drop(inbox, 'till.csv', monday)).toMatchObject({ state: 'read', rows: 4, added: 4 });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze', '2 glaze', ' no number']);
    await drop(inbox, 'till.csv', monday);
    const again = await drop(inbox, 'another name.csv', monday);
    expect(again).toMatchObject({ name: 'till.csv', repeats: 2 });
    await rest();
    expect(await done()).toHaveLength(4);
  });

  test('a corrected one brings only what changed: by content and how often it stands there', async () => {
    const { inbox } = await begun();
    await drop(inbox, 'till.csv', csv('1,clay', '2,glaze', '2,glaze', '3,kiln'));
    await rest();
    // A row above is taken out, one is mended, a third of a kind is added; browsers number a second download.
    const corrected = csv('2,glaze', '2,glaze', '2,glaze', '3,kiln shelf');
    expect(await look(inbox, 'till (1).csv', corrected)).toMatchObject({ rows: 4, added: 2, changed: 0, same: 2 });
    expect(await drop(inbox, 'till (1).csv', corrected)).toMatchObject({ added: 2, same: 2 });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze', '2 glaze', '3 kiln', '2 glaze', '3 kiln shelf']);
    // The first again, under another name: all of it is known. Another file may hold the same rows and mean others.
    await drop(inbox, 'copy.csv', csv('1,clay', '2,glaze', '2,glaze', '3,kiln'));
    await rest();
    expect(await done()).toHaveLength(6);
    await drop(inbox, 'tuesday.csv', csv('1,clay'));
    await rest();
    expect((await done()).at(-1)).toBe('1 clay');
  });

  test('by a number: what changed is written over, also back to what it was', async () => {
    const { inbox } = await begun('create_or_update', { recognise: { kind: 'field', path: '/No' } });
    await drop(inbox, 'a.csv', csv('1,clay', '2,glaze'));
    await rest();
    expect(await drop(inbox, 'b.csv', csv('2,GLAZE', '1,clay', '3,kiln'))).toMatchObject({
      added: 1,
      changed: 1,
      same: 1,
    });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 GLAZE', '3 kiln']);
    // The first file is no repeat by now: what it says of 2 is news again.
    expect(await drop(inbox, 'b.csv', csv('1,clay', '2,glaze'))).toMatchObject({ changed: 1, same: 1 });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze', '3 kiln']);
  });

  test('rows that share a number and differ are both kept, and told; one that stands there twice counts once', async () => {
    const { inbox } = await begun('append', { recognise: { kind: 'field', path: '/No' } });
    const shared = csv('7,clay', '7,glaze', '7,clay', '8,kiln');
    expect(await look(inbox, 'a.csv', shared)).toMatchObject({ added: 3, twice: 1, sharing: ['row 3: 7 (2)'] });
    await drop(inbox, 'a.csv', shared);
    await rest();
    expect(await done()).toEqual(['7 clay', '7 glaze', '8 kiln']);
  });

  test('with nothing to recognise them every row of another file is new', async () => {
    const { inbox } = await begun('append', { recognise: { kind: 'nothing' } });
    await drop(inbox, 'till.csv', csv('1,clay'));
    await drop(inbox, 'till.csv', csv('1,clay', '2,glaze'));
    await rest();
    expect(await done()).toEqual(['1 clay', '1 clay', '2 glaze']);
  });

  test('a number is proposed where a column has one for each row; chosen later, what has come keeps its name', async () => {
    const { inbox } = await begun('create_or_update');
    await drop(inbox, 'a.csv', csv('11,clay', '12,glaze'));
    await rest();
    expect((await around.services.files.setting(inbox)).recognise).toEqual({ kind: 'field', path: '/No' });
    const other = await around.services.files.setting(inbox);
    await around.services.files.change(inbox, { ...other, isProposed: false, recognise: { kind: 'content' } });
    await around.services.files.change(inbox, { ...other, isProposed: false });
    expect(await look(inbox, 'c.csv', csv('11,clay', '12,glaze!'))).toMatchObject({ added: 0, changed: 1, same: 1 });
  });

  test('columns that are gone keep it from being taken; a person may say even so', async () => {
    const { inbox } = await begun();
    await drop(inbox, 'a.csv', csv('1,clay'));
    const renamed = 'No,Product\r\n2,glaze\r\n';
    const told = 'The column “What” of “a.csv” is missing in it; “Product” is new.';
    expect((await look(inbox, 'b.csv', renamed)).against).toContain(told);
    const refused = await drop(inbox, 'b.csv', renamed);
    expect(refused).toMatchObject({ state: 'refused', reason: expect.stringContaining(told) });
    await rest();
    expect(await done()).toEqual(['1 clay']);
    await ask('POST', `/api/files/${inbox}/even-so`, { seq: refused.seq });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 ']);
  });

  test('a column that only counts the rows isn’t proposed: another file counts from one again', async () => {
    const { inbox } = await begun();
    await drop(inbox, 'monday.csv', csv('1,clay', '2,glaze'));
    await drop(inbox, 'tuesday.csv', csv('1,clay', '2,kiln'));
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze', '1 clay', '2 kiln']);
  });

  test('all of its rows once more, where a person says so', async () => {
    const { inbox } = await begun();
    const { seq } = await drop(inbox, 'a.csv', csv('1,clay', '2,glaze'));
    await rest();
    await ask('POST', `/api/files/${inbox}/again`, { seq });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze', '1 clay', '2 glaze']);
  });

  test('an older state of a list goes after the days in the settings, the newest stays; dropped again it is there again', async () => {
    const { inbox } = await begun('create_or_update', { recognise: { kind: 'field', path: '/No' } });
    const { services, world } = around;
    const days = (count: number): void => (services.seams as TestClock).pass(count * 24 * 60 * 60_000);
    const came = async () =>
      (await ask<{ files: { seq: number; name: string; emptied_at: string | null }[] }>('GET', `/api/files/${inbox}`))
        .files;
    /** The texts of the files that are kept; all of them are made old, as they would be. */
    const kept = (): string[] => {
      const folder = join(world.folder, 'bytes');
      return readdirSync(folder, { recursive: true })
        .map((name) => join(folder, String(name)))
        .filter((file) => statSync(file).isFile())
        .map((file) => {
          utimesSync(file, 0, 0);
          return readFileSync(file, 'utf8');
        });
    };
    const first = csv('1,clay', '2,glaze');
    await drop(inbox, 'list.csv', first);
    await drop(inbox, 'list.csv', 'No,Product\r\n2,refused\r\n');
    await rest();
    days(91);
    const second = csv('1,clay', '2,GLAZE');
    await drop(inbox, 'list.csv', second);
    await rest();
    expect(kept()).toHaveLength(3);
    await services.retention.sweep();
    expect(kept()).toEqual([second]);
    expect((await came()).map(({ emptied_at }) => emptied_at !== null)).toEqual([false, true, true]);
    days(91);
    await services.retention.sweep();
    expect(kept()).toEqual([second]);
    const [, refused, oldest] = await came();
    await expect(ask('POST', `/api/files/${inbox}/again`, { seq: oldest?.seq })).rejects.toThrow(/Drop it again/);
    await expect(ask('POST', `/api/files/${inbox}/even-so`, { seq: refused?.seq })).rejects.toThrow(/Drop it again/);
    await rest();
    expect(await done()).toEqual(['1 clay', '2 GLAZE']);
    // It says what stood there before the newest: that is news again, and no row comes twice.
    expect(await drop(inbox, 'list.csv', first)).toMatchObject({ changed: 1, same: 1, emptied_at: null });
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze']);
  });

  test('what can’t be read is refused with its reason, and nothing of it is written', async () => {
    const { inbox } = await begun();
    expect(await drop(inbox, 'a.json', '[{"No":1},{')).toMatchObject({
      state: 'refused',
      reason: expect.stringContaining('no whole JSON'),
    });
    await rest();
    expect(await done()).toEqual([]);
    // Mended, it is no repeat.
    expect(await drop(inbox, 'a.json', '[{"No":1,"What":"clay"}]')).toMatchObject({ state: 'read', added: 1 });
    await rest();
    expect(await done()).toEqual(['1 clay']);
  });

  test('what came before it went live is known, not sent', async () => {
    const { id, rev, content } = await ask<{ id: string; rev: number; content: WorkflowContent }>(
      'POST',
      '/api/starts',
      { kind: 'file', name: 'Early' },
    );
    const inbox = await knownFields(content);
    await drop(inbox, 'a.csv', csv('1,clay'));
    const samples = await ask('GET', `/api/workflows/${id}/samples?anew=yes`);
    expect(samples).toMatchObject([{ record: { No: '1', $arrival: { file: 'a.csv', place: 'row 2' } } }]);
    const target = await placeOf(around.services, around.connected.shelf, ['done.xlsx', 'Done']);
    const list = {
      id: 'list',
      kind: 'write' as const,
      target,
      mode: 'append' as const,
      mapping: { '/No': fieldFilling('/No') },
    };
    await around.services.workflows.saveDraft(id, { ...content, steps: [list] }, rev);
    await around.services.engine.finish((await around.services.engine.makeLive(id)).run);
    await rest();
    await drop(inbox, 'a.csv', csv('1,clay', '2,glaze'));
    await rest();
    expect(await done()).toEqual(['2 ']);
  });
});

describe('a folder that is watched', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'golden-watch-'));
  });

  async function watching(afterwards: 'left' | 'marked' | 'moved', pattern = 'till*.csv'): Promise<Begun> {
    const { connections } = around.services;
    const { id } = await connections.add({ app: 'folder', name: 'Till folder', settings: { folder } });
    return begun('append', { watch: { connection: id, pattern, afterwards } });
  }
  const put = (name: string, content: string): void => writeFileSync(join(folder, name), content);

  async function lookIn({ inbox }: Begun) {
    const told = await around.services.folders.look(inbox);
    await rest();
    return told;
  }

  test('what appears is taken once and moved; what isn’t meant stays', async () => {
    const one = await watching('moved');
    put('till 1.csv', csv('1,clay'));
    put('other.csv', csv('9,not meant'));
    put('.till hidden.csv', csv('8,hidden'));
    put('till 2.csv.part', csv('7,still loading'));
    expect(await lookIn(one)).toEqual({ taken: 1, growing: 0, own: [], trouble: null });
    put('till 1.csv', csv('2,glaze'));
    await lookIn(one);
    await lookIn(one);
    expect(await done()).toEqual(['1 clay', '2 glaze']);
    expect(readdirSync(join(folder, 'Done'))).toEqual(['till 1 (2).csv', 'till 1.csv']);
    expect(existsSync(join(folder, 'other.csv'))).toBe(true);
  });

  test('left where it is, it is taken again only when it has changed', async () => {
    const one = await watching('left');
    put('till.csv', csv('1,clay'));
    await lookIn(one);
    expect(await lookIn(one)).toMatchObject({ taken: 0 });
    put('till.csv', csv('1,clay', '2,glaze'));
    await lookIn(one);
    expect(await done()).toEqual(['1 clay', '2 glaze']);
  });

  test('marked, it has a name by which it isn’t taken again', async () => {
    const one = await watching('marked', '*.csv');
    put('till.csv', csv('1,clay'));
    await lookIn(one);
    expect(await lookIn(one)).toMatchObject({ taken: 0 });
    expect(readdirSync(folder)).toEqual(['done till.csv']);
    expect(await done()).toEqual(['1 clay']);
  });

  test('what can’t be read stays where somebody can mend it', async () => {
    const one = await watching('moved');
    put('till.csv', 'No,What\r\n1,"open\r\n');
    await lookIn(one);
    expect(readdirSync(folder)).toEqual(['till.csv']);
    put('till.csv', csv('1,mended'));
    await lookIn(one);
    expect(await done()).toEqual(['1 mended']);
  });

  test('a file that a workflow of ours writes starts nothing, is told, and is taken where that is chosen', async () => {
    const { services, world, connected } = around;
    const watch = { connection: connected.shelf, pattern: 'c*.xlsx', afterwards: 'left' as const };
    const one = await begun('append', { watch });
    const setting = await services.files.setting(one.inbox);
    world.shelf.files.replace('counted.xlsx', await emptyWorkbook('Rows', ['No', 'What']), undefined);
    world.shop.store.add(customer());
    await goLive(services, await customersWorkflow(services, connected));
    const bytes = world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0);
    expect(await rowsOf(bytes, 'Customers')).toHaveLength(1);
    expect(await lookIn(one)).toMatchObject({ taken: 1, own: ['customers.xlsx'], trouble: null });
    expect(await ask<{ own: string[] }>('GET', `/api/files/${one.inbox}`)).toMatchObject({ own: ['customers.xlsx'] });
    await services.files.change(one.inbox, { ...setting, watch: { ...watch, takesOwn: true } });
    expect(await lookIn(one)).toMatchObject({ taken: 1, own: [] });
    expect(await ask<{ own: string[] }>('GET', `/api/files/${one.inbox}`)).toMatchObject({ own: [] });
  });

  test('a folder that isn’t there is told', async () => {
    const one = await watching('left');
    const { connections } = around.services;
    const { id } = await connections.add({ app: 'folder', name: 'Gone', settings: { folder: join(folder, 'none') } });
    const setting = await around.services.files.setting(one.inbox);
    const watch = { connection: id, pattern: '*.csv', afterwards: 'left' as const };
    await around.services.files.change(one.inbox, { ...setting, watch });
    expect((await lookIn(one)).trouble).toMatch(/no folder/);
    expect((await ask<{ trouble: string | null }>('GET', '/api/today')).trouble).toMatch(/Till.*no folder/);
  });

  test('a shelf: taken, and renamed or moved there', async () => {
    const { world, connected } = around;
    const one = await begun('append', {
      watch: { connection: connected.shelf, pattern: 'till*.csv', afterwards: 'marked' },
    });
    world.shelf.files.replace('till.csv', Buffer.from(csv('1,clay')), undefined);
    await lookIn(one);
    await lookIn(one);
    expect(await done()).toEqual(['1 clay']);
    expect(world.shelf.files.list().map(({ name }) => name)).toContain('done till.csv');
    const setting = await around.services.files.setting(one.inbox);
    if (setting.watch)
      await around.services.files.change(one.inbox, { ...setting, watch: { ...setting.watch, afterwards: 'moved' } });
    for (const row of ['2,glaze', '3,kiln']) {
      world.shelf.files.replace('till.csv', Buffer.from(csv(row)), undefined);
      await lookIn(one);
      expect((await lookIn(one)).trouble).toBeNull();
    }
    expect(world.shelf.files.others().map(({ name }) => name)).toEqual([
      expect.stringMatching(/\/till.+\.csv$/),
      expect.stringMatching(/\/till\.csv$/),
    ]);
    // One that can't be put away: that is told, and nothing is lost or doubled by it.
    world.shelf.files.replace('till.csv', Buffer.from(csv('4,shelf')), undefined);
    world.shelf.files.set('till.csv', { right: 'view' });
    expect((await lookIn(one)).trouble).toMatch(/“till.csv” was taken in, and stays where it is/);
    await lookIn(one);
    expect(await done()).toEqual(['1 clay', '2 glaze', '3 kiln', '4 shelf']);
  });
});

describe('killed in the middle', () => {
  const rows = Array.from({ length: 450 }, (_, at) => `${at + 1001},thing ${at}`);

  /** Ends the process at a point of the work, and begins a new one on its data. */
  async function killedAt(point: KillPoint, passes: number, work: () => Promise<unknown>): Promise<void> {
    const ended = dropAt(around.services, point, passes);
    void work().catch(() => undefined);
    await ended;
    around.services = await openServices(around.world, { seams: (around.services.seams as TestClock).next() });
    await around.services.arrivals.sweep();
    await around.services.files.resume();
    await around.services.engine.resume();
    await rest();
  }

  test.each<[KillPoint, number]>([
    ['arrival:before-store', 0],
    ['arrival:after-store', 0],
    ['arrival:before-store', 2],
    ['arrival:after-store', 2],
    ['arrival:after-store', 3],
  ])(
    'a file that is dropped, at %s after %i passes: each row once, also when it is dropped again',
    async (point, passes) => {
      const { inbox } = await begun();
      const { services } = around;
      const bytes = Buffer.from(csv(...rows));
      await killedAt(point, passes, () => services.files.take({ inbox, name: 'a.csv', bytes, came: 'dropped' }));
      await drop(inbox, 'a.csv', csv(...rows));
      await rest();
      expect((await done()).sort()).toEqual(rows.map((row) => row.replace(',', ' ')));
    },
  );

  test.each(pointsOfHandIns)('a file of a folder, at %s: taken once, and put away in the end', async (point) => {
    const folder = mkdtempSync(join(tmpdir(), 'golden-watch-'));
    const { id } = await around.services.connections.add({ app: 'folder', name: 'Till', settings: { folder } });
    const { inbox } = await begun('append', { watch: { connection: id, pattern: '*.csv', afterwards: 'moved' } });
    writeFileSync(join(folder, 'till.csv'), csv('1,clay', '2,glaze'));
    const { services } = around;
    await killedAt(point, 0, () => services.folders.look(inbox));
    await around.services.folders.look(inbox);
    await rest();
    expect(await done()).toEqual(['1 clay', '2 glaze']);
    expect(readdirSync(folder)).toEqual(['Done']);
    expect(readdirSync(join(folder, 'Done'))).toEqual(['till.csv']);
  });
});

test('any sequence of files leaves what a plain account of them says', async () => {
  const { inbox } = await begun('create_or_update', { recognise: { kind: 'field', path: '/No' } });
  const files = fc.array(
    fc.record({
      name: fc.constantFrom('a.csv', 'b.csv', 'b (1).csv'),
      rows: fc.uniqueArray(fc.tuple(fc.integer({ min: 1, max: 6 }), fc.constantFrom('clay', 'glaze', 'kiln')), {
        selector: ([no]) => no,
        minLength: 1,
        maxLength: 5,
      }),
    }),
    { minLength: 1, maxLength: 5 },
  );
  // One account over all: each number has what the last file that had it says.
  const account = new Map<number, string>();
  await fc.assert(
    fc.asyncProperty(files, async (given) => {
      for (const { name, rows } of given) {
        await drop(inbox, name, csv(...rows.map(([no, what]) => `${no},${what}`)));
        for (const [no, what] of rows) account.set(no, what);
        await rest();
      }
      expect((await done()).sort()).toEqual([...account].map(([no, what]) => `${no} ${what}`).sort());
    }),
    { numRuns: 8 },
  );
});

test('patterns and series of names', () => {
  expect(fitsPattern('Till 7.CSV', 'till*.csv')).toBe(true);
  expect(fitsPattern('till.csv.exe', '*.csv')).toBe(false);
  expect(fitsPattern('a+b.csv', 'a+b.csv')).toBe(true);
  expect(fitsPattern('aab.csv', 'a+b.csv')).toBe(false);
  expect(['Till (1).csv', 'till.csv', 'till (2).csv'].map(seriesOf)).toEqual(['till.csv', 'till.csv', 'till.csv']);
  expect(seriesOf('stock (2026).csv')).not.toBe(seriesOf('stock.csv'));
});
