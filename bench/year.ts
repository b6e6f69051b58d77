import { statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { emptyContent, type WorkflowContent } from '@golden/core';
import { makeApi, type Services } from '@golden/server';
import { sql } from 'kysely';
import { customers, filledFrom, groundIn, newRows, watched } from './ground.ts';

// A year of use: so many items over sixty workflows in the file, some of which need a person. How long each list takes,
// beside the same of a file with a few hundred items. The last line is JSON.

const [, , folder = '', given = '200000', givenOpen = '10000'] = process.argv;
const [items, unsettled] = [Number(given), Number(givenOpen)];
const [workflows, real, days] = [60, 300, 365];

const dataFile = join(folder, 'golden.sqlite');
const lines = Array.from({ length: real }, (_, no) => `N ${no},Ada ${no},ada${no}@clay.example,+44 1632 960 ${no}`);
writeFileSync(join(folder, 'new.csv'), `No,Name,E-mail,Telephone\r\n${lines.join('\r\n')}\r\n`);
const ground = await groundIn(folder);
let { services } = ground;

const { id, run } = await realRun();
services.checkpoints.start();
const few = await lists(services);
await makeYear();
const bytes = statSync(dataFile).size;
await services.close();
const started = performance.now();
services = await ground.open();
services.checkpoints.start();
await services.engine.resume();
const startSeconds = (performance.now() - started) / 1000;
while (!(await services.recordIndex.catchUp(10_000))) await new Promise((resolve) => setImmediate(resolve));
const many = await lists(services);
const removed = await removing();
const swept = await sweeping();
console.log(
  JSON.stringify({
    items,
    unsettled,
    bytesAnItem: Math.round(bytes / items),
    startSeconds,
    memoryMb: Math.round(process.memoryUsage().rss / 1024 / 1024),
    removed,
    swept,
    lists: Object.fromEntries(Object.entries(many).map(([name, ms]) => [name, { few: few[name] ?? 0, many: ms }])),
  }),
);
process.exit(0);

/** A few hundred customers from a list into the practice Ledger, as they really are written. */
async function realRun(): Promise<{ id: string; run: string }> {
  const content: WorkflowContent = {
    ...emptyContent('Bench'),
    start: await newRows(ground),
    steps: [
      {
        id: 'write',
        kind: 'write',
        target: await ground.place(ground.to, customers),
        mode: 'create_or_update',
        key: '/electronicMail',
        mapping: {
          '/name': filledFrom('start', '/Name'),
          '/electronicMail': filledFrom('start', '/E-mail'),
          '/telephone': filledFrom('start', '/Telephone'),
        },
      },
    ],
  };
  const { id } = await services.workflows.add(content);
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return { id, run };
}

/** The same records again and again, over all workflows and days, each under ids of its own. */
async function makeYear(): Promise<void> {
  const { db } = services;
  const times = Math.ceil(items / real);
  await sql`PRAGMA foreign_keys = OFF`.execute(db);
  for (let no = 1; no < workflows; no++) {
    await sql`INSERT INTO workflow SELECT ${`w${no}`}, draft, draft_rev, draft_at, live_version, 0, created_at, folder,
      waits_go_on, takes_over FROM workflow WHERE id = ${id}`.execute(db);
    await copyVersion(no);
  }
  const now = Date.now();
  for (let time = 0; time < times; time++) {
    const workflow = time % workflows === 0 ? id : `w${time % workflows}`;
    const day = new Date(now - ((times - time) / times) * days * 86_400_000).toISOString();
    const made = `${run}-${time}`;
    await db.transaction().execute(async (trx) => {
      await sql`INSERT INTO run (id, workflow_id, version, kind, state, started_at, ended_at, in_source, taken_in,
        is_marked, intake_id) SELECT ${made}, ${workflow}, version, 'checked', 'done', ${day}, ${day}, in_source,
        taken_in, 1, intake_id FROM run WHERE id = ${run}`.execute(trx);
      await sql`INSERT INTO item (id, workflow_id, run_id, intake_id, accounts, version, source_id, revision, title, state,
        cause, message, item_state, effect, token, taken_at, ended_at)
        SELECT id || ${`-${time}`}, ${workflow}, ${made}, intake_id, accounts, version, source_id || ${`-${time}`},
        revision, title, state, cause, message, item_state, effect, token, ${day}, ${day}
        FROM item WHERE run_id = ${run}`.execute(trx);
      await sql`INSERT INTO write (token, item_id, step, purpose, connection, place, intent, status, remote_id, read, at,
        done_at, base, account, left) SELECT token || ${`-${time}`}, item_id || ${`-${time}`}, step, purpose, connection,
        place, intent, status, remote_id || ${`-${time}`}, read, at, done_at, base || ${`-${time}`}, account, left
        FROM write WHERE item_id IN (SELECT id FROM item WHERE run_id = ${run})`.execute(trx);
      await sql`INSERT INTO journal (item_id, at, kind, step, content)
        SELECT item_id || ${`-${time}`}, at, kind, step, content
        FROM journal WHERE item_id IN (SELECT id FROM item WHERE run_id = ${run})`.execute(trx);
    });
  }
  const asked = JSON.stringify({ kind: 'unsettled', cause: 'value', message: 'A value is missing.', fields: [] });
  await sql`UPDATE item SET state = 'unsettled', cause = 'value', message = 'A value is missing.',
    item_state = json_set(item_state, '$.steps.write', json(${asked}))
    WHERE seq IN (SELECT seq FROM item ORDER BY seq DESC LIMIT ${unsettled})`.execute(db);
  await sql`PRAGMA foreign_keys = ON`.execute(db);
}

async function copyVersion(no: number): Promise<void> {
  const rows = await services.db.selectFrom('workflow_version').selectAll().where('workflow_id', '=', id).execute();
  for (const row of rows)
    await services.db
      .insertInto('workflow_version')
      .values({ ...row, workflow_id: `w${no}` })
      .execute();
}

/** Each list as the interface asks for it: how long its answer takes, in milliseconds. */
async function lists(of: Services): Promise<Record<string, number>> {
  const api = makeApi(of);
  const [first] = (await (await api.request(`/api/workflows/${id}/runs`)).json()) as { id: string }[];
  const [item] = (await of.db.selectFrom('item').select('id').orderBy('seq', 'desc').limit(1).execute()) ?? [];
  const found = await api.request('/api/records?text=ada12');
  const [record] = ((await found.json()) as { records: { key: Record<string, string> }[] }).records;
  const asked: Record<string, string> = {
    Today: '/api/today',
    Workflows: '/api/workflows',
    'Needs you': '/api/decide',
    'the days of a workflow': `/api/workflows/${id}/days?count=90`,
    'the runs of a workflow': `/api/workflows/${id}/runs`,
    'a run': `/api/runs/${first?.id}`,
    'the sheet of a run': `/api/runs/${first?.id}/items`,
    'a record': `/api/items/${item?.id}`,
    'not sent': `/api/workflows/${id}/not-sent?kind=left_out`,
    Waiting: '/api/waiting',
    'a search': '/api/records?text=ada12',
    'a trail': `/api/records/trail?${new URLSearchParams(record?.key)}`,
  };
  const took: Record<string, number> = {};
  for (const [name, path] of Object.entries(asked)) {
    await api.request(path);
    const began = performance.now();
    const answer = await api.request(path);
    took[name] = performance.now() - began;
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${(await answer.text()).slice(0, 300)}`);
  }
  return took;
}

/** What records held that ended more than 90 days ago is taken out: how long it takes, and what an item has in the file then. */
async function sweeping() {
  const items = await full();
  const { result, seconds, longestMs } = await watched(() => services.retention.sweep());
  if ((await full()) !== items - result.items) throw new Error('Others were emptied than were counted.');
  await sql`PRAGMA wal_checkpoint(TRUNCATE)`.execute(services.db);
  const { kept } = await services.db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('kept'))
    .executeTakeFirstOrThrow();
  return { items: result.items, seconds, longestMs, bytesAnItem: Math.round(statSync(dataFile).size / kept) };
}

async function full(): Promise<number> {
  const found = services.db.selectFrom('item').select((eb) => eb.fn.countAll<number>().as('n'));
  return (await found.where('emptied_at', 'is', null).executeTakeFirstOrThrow()).n;
}

/** A workflow is removed with all that it took in: how long that takes, and for how long the server answers nobody. */
async function removing(): Promise<{ seconds: number; longestMs: number }> {
  const { seconds, longestMs } = await watched(() => services.workflows.remove('w1'));
  return { seconds, longestMs };
}
