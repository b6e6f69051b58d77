import { fork } from 'node:child_process';
import { join } from 'node:path';
import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import type { RestDescription } from '@golden/connectors';
import { draftOfHanded, emptyContent, type Place, type WorkflowContent } from '@golden/core';
import { addHandedInbox, DoorLimits, makeDoor, makeServices, realSeams, type Services } from '@golden/server';
import { listen, shopKeys, windowDisplay, windowKeys } from '@golden/standins';
import { serve } from '@hono/node-server';
import { Agent, request } from 'undici';
import { documentsMade } from './documents.ts';
import { outsideWorld } from './outside.ts';

// One measurement in a process of its own. The shop and the sink stand in another, so that their
// work and memory aren't counted as ours.

const [, program = '', task = '', folder = '', count = '1000', latency = '0'] = process.argv;

const dataFile = join(folder, 'golden.sqlite');

/** What is measured, by its name; anything else goes through the engine. */
const tasks: Readonly<Record<string, (shop: string, sink: string) => Promise<object>>> = {
  plain: plainScript,
  start: startWithOpenItems,
  events: (_shop, sink) => eventsThroughDoor(sink),
  waits: waitsComeDue,
  handing: handedOver,
  many: manyInOneCall,
  documents: madeDocuments,
};

async function main(): Promise<void> {
  const outside = fork(program, ['outside', folder, count, latency]);
  const { shop, sink } = await new Promise<{ shop: string; sink: string }>((resolve) =>
    outside.once('message', (where) => resolve(where as { shop: string; sink: string })),
  );
  const result = await (tasks[task] ?? throughEngine)(shop, sink);
  console.log(JSON.stringify(result));
  outside.kill();
  process.exit(0);
}

/** The same requests by a plain script: list, keep, map, post, 8 at once. */
async function plainScript(shop: string, sink: string) {
  const started = performance.now();
  const dispatcher = new Agent({ connections: 8 });
  const all: Record<string, unknown>[] = [];
  let cursor: string | null = null;
  do {
    const url = `${shop}/api/customers?limit=200${cursor ? `&cursor=${cursor}` : ''}`;
    const answer = await request(url, { headers: { 'shop-key': shopKeys[0]?.key ?? '' }, dispatcher });
    const body = (await answer.body.json()) as { data: Record<string, unknown>[]; next_cursor: string | null };
    all.push(...body.data.filter((one) => one['email']));
    cursor = body.next_cursor;
  } while (cursor);
  const next = all.values();
  const worker = async (): Promise<void> => {
    for (const one of next) {
      const body = JSON.stringify({
        name: `${one['first_name']} ${one['last_name']}`,
        email: String(one['email']).toLowerCase(),
      });
      const answer = await request(`${sink}/people`, {
        method: 'POST',
        body,
        headers: { 'content-type': 'application/json' },
        dispatcher,
      });
      await answer.body.dump();
    }
  };
  await Promise.all(Array.from({ length: 8 }, worker));
  return { seconds: (performance.now() - started) / 1000, cpuMs: 0, peakMb: 0 };
}

const sinkDescription: RestDescription = {
  id: 'sink',
  title: 'Sink',
  openapi: '/openapi.json',
  auth: { header: 'x-key', value: '{key}' },
  me: { path: '/me', signedInAs: ['/name'] },
  recordTypes: [
    { name: 'people', singular: 'person', plural: 'people', schema: 'Person', id: '/id', create: '/people' },
  ],
};

/** The workflow that is measured: a condition and a mapping, from the shop into the sink. */
async function workflowInto(services: Services, shop: string, sink: string): Promise<string> {
  const from = await services.connections.add({
    app: 'shop_counter',
    name: 'Shop',
    settings: { address: `${shop}/api` },
    key: shopKeys[0]?.key ?? '',
  });
  const to = await services.connections.add({ app: 'sink', name: 'Sink', settings: { address: sink }, key: 'none' });
  const place = async (connection: string, path: string[]): Promise<Place> => ({
    connection,
    path,
    labels: path,
    described: await (await services.connections.connector(connection)).describe(path),
  });
  const ref = (path: string) => ({ step: 'start', path });
  const content: WorkflowContent = {
    ...emptyContent('Bench'),
    start: {
      source: await place(from.id, ['customers']),
      on: 'added',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'keep',
        kind: 'condition',
        condition: { kind: 'test', ref: ref('/email'), operator: 'is_not_empty', values: [] },
      },
      {
        id: 'write',
        kind: 'write',
        target: await place(to.id, ['people']),
        mode: 'append',
        mapping: {
          '/name': {
            kind: 'text',
            parts: [
              { kind: 'field', ref: ref('/first_name') },
              { kind: 'words', text: ' ' },
              { kind: 'field', ref: ref('/last_name') },
            ],
            tidies: [],
          },
          '/email': { kind: 'field', ref: ref('/email'), tidies: [{ kind: 'lower' }] },
        },
      },
    ],
  };
  return (await services.workflows.add(content)).id;
}

/** A start with as many records under way as there are: until it serves, and until all of it is done. */
async function startWithOpenItems(shop: string, sink: string) {
  const first = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const { run } = await first.engine.makeLive(await workflowInto(first, shop, sink));
  for (;;) {
    const row = await first.db.selectFrom('run').select('state').where('id', '=', run).executeTakeFirst();
    if (row?.state === 'working') break;
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  await first.drop();
  const started = performance.now();
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const { open } = await services.db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('open'))
    .where('state', '=', 'running')
    .executeTakeFirstOrThrow();
  await services.engine.start();
  const startSeconds = (performance.now() - started) / 1000;
  await services.engine.quiet();
  await services.close();
  return { seconds: (performance.now() - started) / 1000, cpuMs: 0, peakMb: 0, startSeconds, open };
}

/**
 * All records wait for a day and come due at the same moment. What a look for what is due takes while none is, with all
 * of them parked and with none; and how long it takes until all is sent, none twice.
 */
async function waitsComeDue(shop: string, sink: string) {
  let ahead = 0;
  const seams = { ...realSeams, now: () => new Date(Date.now() + ahead).toISOString() };
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription], seams });
  const { engine } = services;
  const id = await workflowInto(services, shop, sink);
  const { draft, draftRev } = await services.workflows.get(id);
  const [keep, write] = draft.steps as [(typeof draft.steps)[number], (typeof draft.steps)[number]];
  const until = { kind: 'time', amount: 1, unit: 'days', from: 'start' } as const;
  const steps = [keep, { id: 'wait', kind: 'wait', until } as const, write];
  await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
  const looks = async (): Promise<number> => {
    const times = 300;
    const began = process.cpuUsage();
    for (let at = 0; at < times; at++) await engine.tick();
    const used = process.cpuUsage(began);
    return (used.user + used.system) / times;
  };
  await looks();
  const emptyMicros = await looks();
  await engine.finish((await engine.makeLive(id)).run);
  await engine.quiet();
  const countOf = async (state: 'waiting' | 'delivered'): Promise<number> => {
    const { n } = await services.db
      .selectFrom('item')
      .select((eb) => eb.fn.countAll<number>().as('n'))
      .where('state', '=', state)
      .executeTakeFirstOrThrow();
    return n;
  };
  if ((await countOf('waiting')) !== Number(count)) throw new Error('Not all of them wait.');
  const parkedMicros = await looks();
  const cpu = process.cpuUsage();
  const started = performance.now();
  ahead = 25 * 3_600_000;
  while ((await countOf('delivered')) < Number(count)) {
    await engine.tick();
    await engine.quiet();
  }
  const seconds = (performance.now() - started) / 1000;
  const used = process.cpuUsage(cpu);
  const { made } = (await (await request(`${sink}/made`)).body.json()) as { made: number };
  if (made !== Number(count)) throw new Error(`${made} were sent for ${count} records.`);
  await services.close();
  const peakMb = process.resourceUsage().maxRSS / 1024;
  return { seconds, cpuMs: (used.user + used.system) / 1000, peakMb, emptyMicros, parkedMicros };
}

/** Events posted at the door: from the post to the row, ten at once; then fifty a second, all kept. */
async function eventsThroughDoor(sink: string) {
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const to = await services.connections.add({ app: 'sink', name: 'Sink', settings: { address: sink }, key: 'none' });
  const place = async (connection: string, path: string[]): Promise<Place> => ({
    connection,
    path,
    labels: path,
    described: await (await services.connections.connector(connection)).describe(path),
  });
  const { connection, path } = await services.doors.add('Orders');
  const [inbox = ''] = path;
  const { setting, address } = await services.doors.of(inbox);
  await services.doors.change(inbox, {
    ...setting,
    access: { kind: 'anybody' },
    eventId: { kind: 'field', path: '/id' },
  });
  const door = serve({ fetch: makeDoor(services, new DoorLimits(100)).fetch, port: 0, hostname: '127.0.0.1' });
  await new Promise((resolve) => door.once('listening', resolve));
  const { port } = door.address() as { port: number };
  const began = new Map<string, number>();
  const dispatcher = new Agent({ connections: 10 });
  const post = async (id: string): Promise<void> => {
    began.set(id, Date.now());
    const answer = await request(`http://127.0.0.1:${port}/in/${address}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ id, name: `Ada ${id}`, email: `ada${id}@clay.example` }),
      dispatcher,
    });
    await answer.body.dump();
    if (answer.statusCode !== 202) throw new Error(`An event was answered with ${answer.statusCode}.`);
  };
  await post('first');
  const ref = (field: string) => ({ step: 'start', path: field });
  const content: WorkflowContent = {
    ...emptyContent('Events'),
    start: {
      source: await place(connection, path),
      on: 'added',
      trigger: { kind: 'event' },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'write',
        kind: 'write',
        target: await place(to.id, ['people']),
        mode: 'append',
        mapping: {
          '/name': { kind: 'field', ref: ref('/name'), tidies: [] },
          '/email': { kind: 'field', ref: ref('/email'), tidies: [] },
        },
      },
    ],
  };
  const { id } = await services.workflows.add(content);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.start();
  const tens = 40;
  for (let ten = 0; ten < tens; ten++) {
    await Promise.all(Array.from({ length: 10 }, (_, at) => post(`t${ten}-${at}`)));
    await new Promise((resolve) => setTimeout(resolve, 400));
  }
  await services.engine.quiet();
  const rows = await services.db.selectFrom('item').select(['source_id', 'ended_at', 'state']).execute();
  const took = rows
    .filter(({ state }) => state === 'delivered')
    .map((row) => Date.parse(row.ended_at ?? '') - (began.get(row.source_id) ?? 0))
    .sort((one, other) => one - other);
  if (took.length !== tens * 10) throw new Error(`${took.length} of ${tens * 10} events were delivered.`);
  // Fifty a second, as long as was asked for.
  const seconds = Number(count);
  const before = process.memoryUsage().rss;
  let most = before;
  const posts: Promise<void>[] = [];
  for (let second = 0; second < seconds; second++) {
    const until = performance.now() + 1000;
    for (let at = 0; at < 50; at++) {
      posts.push(post(`s${second}-${at}`));
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
    most = Math.max(most, process.memoryUsage().rss);
    await new Promise((resolve) => setTimeout(resolve, Math.max(0, until - performance.now())));
  }
  await Promise.all(posts);
  await services.engine.quiet();
  const { stored } = await services.db
    .selectFrom('arrival')
    .select((eb) => eb.fn.countAll<number>().as('stored'))
    .executeTakeFirstOrThrow();
  if (stored !== began.size) throw new Error(`${stored} of ${began.size} events were stored.`);
  await services.close();
  return {
    seconds,
    cpuMs: 0,
    peakMb: most / 1024 / 1024,
    growth: most / before,
    middle: took[Math.floor(took.length / 2)] ?? 0,
    slow: took[Math.floor(took.length * 0.95)] ?? 0,
  };
}

/** The same writes, each record handed over to a second workflow that makes them. */
async function handedOver(shop: string, sink: string) {
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const direct = await services.workflows.get(await workflowInto(services, shop, sink));
  const [keep, write] = direct.draft.steps as [
    (typeof direct.draft.steps)[number],
    (typeof direct.draft.steps)[number],
  ];
  const needed = [
    { path: '/first_name', label: 'first name', type: 'text' as const },
    { path: '/last_name', label: 'last name', type: 'text' as const },
    { path: '/email', label: 'e-mail', type: 'email' as const },
  ];
  const inbox = await addHandedInbox(services, 'Receiver', 'person', needed);
  const described = await (await services.connections.connector(inbox.connection)).describe(inbox.path);
  const target: Place = { ...inbox, labels: ['Receiver'], described };
  const mapping = Object.fromEntries(
    needed.map(({ path }) => [path, { kind: 'field' as const, ref: { step: 'start', path }, tidies: [] }]),
  );
  const receiver = await services.workflows.add({ ...draftOfHanded(target, 'Receiver'), steps: [write] });
  await services.engine.finish((await services.engine.makeLive(receiver.id)).run);
  const hand = { id: 'hand', kind: 'hand_over' as const, target, mapping };
  await services.workflows.saveDraft(direct.id, { ...direct.draft, steps: [keep, hand] }, direct.draftRev);
  const cpu = process.cpuUsage();
  const started = performance.now();
  await services.engine.finish((await services.engine.makeLive(direct.id)).run);
  // Waited for without asking again and again: to count ten thousand takes longer than to write some of them.
  await services.engine.quiet();
  const { n } = await services.db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('n'))
    .where('workflow_id', '=', receiver.id)
    .where('state', '=', 'delivered')
    .executeTakeFirstOrThrow();
  if (n !== Number(count)) throw new Error(`${n} of ${count} were delivered.`);
  return endOf(services, started, cpu);
}

async function madeDocuments() {
  const services = await makeServices({ dataFile, masterKey: 'bench' });
  const measured = await documentsMade(services, folder, Number(count));
  await services.close();
  return measured;
}

/** New records into an app that takes a hundred in one call. */
async function manyInOneCall(shop: string, sink: string) {
  const site = windowDisplay(join(folder, 'window.sqlite'));
  const section = String(site.store.sections.add({ name: 'Bench' }).id);
  const at = await listen(site.app, 0);
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const { id } = await services.connections.add({
    app: 'window_display',
    name: 'Window',
    settings: { address: `${at.url}/api` },
    key: windowKeys[0]?.key ?? '',
  });
  const direct = await services.workflows.get(await workflowInto(services, shop, sink));
  const described = await (await services.connections.connector(id)).describe(['entries']);
  const text = (path: string) => ({ kind: 'field' as const, ref: { step: 'start', path }, tidies: [] });
  const write = {
    id: 'write',
    kind: 'write' as const,
    target: { connection: id, path: ['entries'], labels: ['entries'], described },
    mode: 'append' as const,
    mapping: { '/section': { kind: 'fixed' as const, value: section }, '/title': text('/first_name') },
  };
  await services.workflows.saveDraft(direct.id, { ...direct.draft, steps: [write] }, direct.draftRev);
  const before = site.state.writes;
  const cpu = process.cpuUsage();
  const started = performance.now();
  await services.engine.finish((await services.engine.makeLive(direct.id)).run);
  const calls = site.state.writes - before;
  const measured = await endOf(services, started, cpu);
  await at.close();
  return { ...measured, calls };
}

async function endOf(services: Services, started: number, cpu: NodeJS.CpuUsage) {
  const seconds = (performance.now() - started) / 1000;
  const used = process.cpuUsage(cpu);
  await services.close();
  return { seconds, cpuMs: (used.user + used.system) / 1000, peakMb: process.resourceUsage().maxRSS / 1024 };
}

async function throughEngine(shop: string, sink: string) {
  const services = await makeServices({ dataFile, masterKey: 'bench', descriptions: [sinkDescription] });
  const id = await workflowInto(services, shop, sink);
  const delay = monitorEventLoopDelay({ resolution: 1 });
  services.checkpoints.start();
  delay.enable();
  const cpu = process.cpuUsage();
  const started = performance.now();
  let ingest = 0;
  if (task === 'rehearse') {
    await services.engine.rehearse(id, 'all');
    await services.engine.rehearsals.wait(id);
  } else {
    const stop = services.events.listen(async (event) => {
      if (event.topic === 'item' && ingest === 0) ingest = performance.now() - started;
    });
    const { run } = await services.engine.makeLive(id);
    await services.engine.finish(run);
    stop();
    const delivered = await services.db
      .selectFrom('item')
      .select((eb) => eb.fn.countAll<number>().as('n'))
      .where('state', '=', 'delivered')
      .executeTakeFirstOrThrow();
    if (delivered.n !== Number(count)) throw new Error(`${delivered.n} of ${count} were delivered.`);
  }
  const seconds = (performance.now() - started) / 1000;
  const used = process.cpuUsage(cpu);
  await services.close();
  return {
    seconds,
    cpuMs: (used.user + used.system) / 1000,
    peakMb: process.resourceUsage().maxRSS / 1024,
    takeInSeconds: ingest / 1000,
    longestMs: delay.max / 1e6,
    oftenMs: delay.percentile(99.9) / 1e6,
  };
}

if (task === 'outside') {
  // Ends with the measurement, however that ends.
  process.on('disconnect', () => process.exit());
  const wishes = { folder, count: Number(count), latency: Number(latency) };
  await outsideWorld(wishes, (where) => process.send?.(where));
} else {
  await main();
}
