import SQLite from 'better-sqlite3';
import { makeApi } from '../api/app.ts';
import type { EngineContext } from '../engine/context.ts';
import { claimTakingBack } from '../engine/take-back.ts';
import { yesterday } from '../telling/parts.ts';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, decide, goLive, settled } from '../testing/checks.ts';
import { customersToPeople } from '../testing/matching.ts';
import { addCard, addCustomers, connectCards, customer, customersWorkflow } from '../testing/world.ts';

// Nothing that is asked while people work may look through all that ever came: with a million records that takes seconds,
// in which nobody is answered. Whatever SQLite says it would scan is looked at here, for every statement of a product at
// work (https://www.sqlite.org/eqp.html).

/** Tables that grow with each record that comes. */
const large =
  /^SCAN (item|write|journal|seen|link|last_written|arrival|mirror|handed|decision|run|undo_row|record_due|sample)\b/;
/** What the test itself asks; what takes the newest, or the next few, only; and one count, from an index alone. */
const allowed = [
  'select * from "item" order by "seq"',
  'select "wake_at" from',
  'order by "seq" desc limit',
  'from "record_due" inner join',
  'order by "made_at" desc, "id" limit ?',
  'select count(*) as "total" from "link"',
];
/** Indexes of the few that are still open. */
const ofFew =
  /USING (COVERING )?INDEX (item_open|item_lane|item_unsettled|item_waiting|item_claimed|item_person|write_open)\b/;

const texts = new Set<string>();
let real: typeof SQLite.prototype.prepare;
beforeAll(() => {
  real = SQLite.prototype.prepare;
  SQLite.prototype.prepare = function prepare(this: SQLite.Database, text: string) {
    // The practice apps have files of their own.
    if (this.name.endsWith('golden.sqlite')) texts.add(text);
    return real.call(this, text);
  } as typeof real;
});
afterAll(() => {
  SQLite.prototype.prepare = real;
});
const around = productAroundEach();

test('no statement of a product at work looks through all that ever came', async () => {
  const { services, world, connected } = around;
  addCustomers(world, 6);
  world.shop.store.add(customer({ email: 'phone@clay.example', phone: 'ask Robin' }));
  for (let at = 0; at < 5; at++)
    addCard(world, 'people', { firstName: 'Ada', lastName: `Nair${at}`, email: `x${at}@clay.example` });
  const workflow = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  texts.clear();
  const run = await goLive(services, workflow);
  const second = await customersToPeople(services, connected, await connectCards(world, services));
  await goLive(services, second);
  addCustomers(world, 2, 7);
  await checkNow(services, workflow);
  const items = await services.db.selectFrom('item').selectAll().orderBy('seq').execute();
  const unsettled = items.find(({ state }) => state === 'unsettled');
  if (unsettled) await decide(services, unsettled.id, { kind: 'dismiss', reason: 'none' });
  const api = makeApi(services);
  const get = async (path: string) => {
    const answer = await api.request(path);
    expect([path, answer.status]).toEqual([path, 200]);
    return answer.json();
  };
  for (const path of [
    '/api/today',
    '/api/workflows',
    '/api/decide',
    '/api/waiting',
    '/api/links',
    '/api/links?search=ada',
    `/api/links?workflow=${second}`,
    '/api/duplicates',
    '/api/reconciles',
    '/api/in-step',
    '/api/kept-values',
    `/api/workflows/${workflow}`,
    `/api/workflows/${workflow}/days?count=90`,
    `/api/workflows/${workflow}/runs`,
    `/api/workflows/${workflow}/not-sent?kind=left_out`,
    `/api/workflows/${workflow}/not-sent?kind=put_aside`,
    `/api/workflows/${workflow}/not-sent?kind=noted`,
    `/api/runs/${run}`,
    `/api/runs/${run}/items`,
    `/api/runs/${run}/items?state=delivered`,
    `/api/items/${items[0]?.id}`,
  ])
    await get(path);
  const { records } = (await get('/api/records?text=ada1')) as { records: { key: Record<string, string> }[] };
  await get(`/api/records/trail?${new URLSearchParams(records[0]?.key)}`);
  await get(`/api/records/now?${new URLSearchParams(records[0]?.key)}`);
  await services.engine.rehearse(workflow, 'all');
  await services.engine.rehearsals.wait(workflow);
  const undo = await services.undos.look(run);
  await services.undos.wait(undo);
  await services.undos.carryOut(undo, { used: true, sent: true });
  await services.undos.wait(undo);
  await services.retention.sweep(0);
  await yesterday(services);
  await claimTakingBack({ commits: services.commits } as EngineContext);
  await services.engine.resume();
  await services.engine.tick();
  await settled(services);
  const asked = [...texts].filter(
    (text) => /^\s*(select|update|delete|insert|with)/i.test(text) && !allowed.some((part) => text.includes(part)),
  );
  expect(asked.length).toBeGreaterThan(150);
  const { sqlite } = (services.retention as unknown as { parts: { sqlite: SQLite.Database } }).parts;
  const scans = asked.flatMap((text) => {
    const plan = real.call(sqlite, `EXPLAIN QUERY PLAN ${text}`);
    const nothing = Array.from({ length: (text.match(/\?/g) ?? []).length }, () => null);
    const rows = plan.all(nothing) as { detail: string }[];
    return rows
      .filter(({ detail }) => large.test(detail) && !ofFew.test(detail))
      .map(({ detail }) => `${detail}: ${text.replace(/\s+/g, ' ').slice(0, 400)}`);
  });
  expect(scans).toEqual([]);
});
