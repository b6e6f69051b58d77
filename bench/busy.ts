import { fork } from 'node:child_process';
import { createServer, type ServerResponse } from 'node:http';
import { join } from 'node:path';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import type { RestDescription } from '@golden/connectors';
import { emptyContent, type Place, type Step, type WorkflowContent } from '@golden/core';
import { makeServices } from '@golden/server';

// A busy day: close to a hundred workflows asked every minute over twenty connections, one of which takes ten seconds for each
// answer, beside so many parked records. How long a record takes from the moment its app has shown it until it is made
// in another app. The last line is JSON.

const [, program = '', folder = '', givenParked = '50000', givenMinutes = '3'] = process.argv;
const [apps, each, slowest] = [20, 5, 10_000];
const schema = {
  openapi: '3.1.0',
  info: { title: 'App', version: '1' },
  paths: {},
  components: {
    schemas: {
      Person: {
        type: 'object',
        properties: {
          id: { type: 'string', readOnly: true },
          name: { type: 'string' },
          changed: { type: 'string', format: 'date-time', readOnly: true },
        },
      },
    },
  },
};

/** Twenty apps that keep people. The first is slow; each of the others gets a new person every few seconds. */
function outside(parked: number): void {
  const shown = new Map<string, number>();
  const took: number[] = [];
  const ports: Promise<number>[] = [];
  for (let app = 0; app < apps; app++) {
    const people: { id: string; name: string; changed: string }[] = [];
    // The parked ones come from the last app, at once.
    for (let no = 0; app === apps - 1 && no < parked; no++)
      people.push({
        id: `parked ${no}`,
        name: `parked ${no}`,
        changed: new Date(Date.now() - 3_600_000).toISOString(),
      });
    let made = 0;
    if (app > 0 && app < apps - 1)
      setInterval(() => {
        made += 1;
        people.push({ id: `${app}-${made}`, name: `${app}-${made}`, changed: new Date().toISOString() });
      }, 7000);
    const server = createServer((asked, answer) => {
      const { pathname, searchParams } = new URL(asked.url ?? '/', 'http://app');
      const give = (body: unknown): void => void json(answer, body);
      const later = (work: () => void): void =>
        void setTimeout(work, app === 0 && pathname === '/people' ? slowest : 5);
      if (pathname === '/openapi.json') return give(schema);
      if (pathname === '/me') return give({ name: `app ${app}` });
      if (asked.method === 'POST') {
        let text = '';
        asked.on('data', (some) => {
          text += some;
        });
        asked.on('end', () => {
          const { name } = JSON.parse(text) as { name: string };
          const at = shown.get(name.replace(/ by .*/, ''));
          if (at !== undefined) took.push(Date.now() - at);
          later(() => give({ id: name }));
        });
        return;
      }
      const from = Number(searchParams.get('cursor') ?? 0);
      const since = searchParams.get('since') ?? '';
      const some = people.filter(({ changed }) => changed >= since).slice(from, from + 500);
      for (const { name } of some) shown.set(name, Date.now());
      later(() => give({ data: some, next: some.length === 500 ? String(from + 500) : null }));
    });
    ports.push(
      new Promise((resolve) =>
        server.listen(0, '127.0.0.1', () => resolve((server.address() as { port: number }).port)),
      ),
    );
  }
  void Promise.all(ports).then((all) => process.send?.({ ports: all }));
  process.on('message', () => process.send?.({ took }));
  process.on('disconnect', () => process.exit());
}

const json = (answer: ServerResponse, body: unknown) =>
  answer.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(body));

const description: RestDescription = {
  id: 'busy',
  title: 'Busy',
  openapi: '/openapi.json',
  auth: { header: 'x-key', value: '{key}' },
  me: { path: '/me', signedInAs: ['/name'] },
  recordTypes: [
    {
      name: 'people',
      singular: 'person',
      plural: 'people',
      schema: 'Person',
      id: '/id',
      updated: '/changed',
      create: '/people',
      list: { path: '/people', items: '/data', since: 'since', cursor: { query: 'cursor', next: '/next' } },
    },
  ],
};

if (process.argv[2] === 'outside') outside(Number(process.argv[3]));
else await inside();

async function inside(): Promise<void> {
  const child = fork(program, ['outside', givenParked]);
  const told = <T>(): Promise<T> => new Promise((resolve) => child.once('message', (message) => resolve(message as T)));
  const { ports } = await told<{ ports: number[] }>();
  const services = await makeServices({
    dataFile: join(folder, 'golden.sqlite'),
    masterKey: 'bench',
    descriptions: [description],
  });
  services.checkpoints.start();
  const connections: string[] = [];
  for (const [app, port] of ports.entries()) {
    const settings = { address: `http://127.0.0.1:${port}` };
    connections.push(
      (await services.connections.add({ app: 'busy', name: `App ${app}`, settings, key: `k${app}` })).id,
    );
  }
  const place = async (connection: string): Promise<Place> => ({
    connection,
    path: ['people'],
    labels: ['people'],
    described: await (await services.connections.connector(connection)).describe(['people']),
  });
  const workflow = async (app: number, number: number, steps: Step[]): Promise<string> => {
    // Into one of those in the middle: neither the slow one nor the one with the parked records.
    const target = await place(connections[1 + ((app + number) % (apps - 2))] ?? '');
    const write: Step = {
      id: 'write',
      kind: 'write',
      target,
      mode: 'append',
      mapping: {
        '/name': {
          kind: 'text',
          parts: [
            { kind: 'field', ref: { step: 'start', path: '/name' } },
            { kind: 'words', text: ` by ${number}` },
          ],
          tidies: [],
        },
      },
    };
    const content: WorkflowContent = {
      ...emptyContent(`${app} ${number}`),
      start: {
        source: await place(connections[app] ?? ''),
        on: 'added',
        trigger: { kind: 'every', minutes: 1 },
        fromWhen: { kind: app === apps - 1 ? 'all' : 'now' },
      },
      steps: [...steps, write],
    };
    const { id } = await services.workflows.add(content);
    return id;
  };
  const parking = await workflow(apps - 1, 0, [
    { id: 'wait', kind: 'wait', until: { kind: 'time', amount: 30, unit: 'days', from: 'step' } },
  ]);
  await services.engine.finish((await services.engine.makeLive(parking)).run);
  const { parked } = await services.db
    .selectFrom('park')
    .select((eb) => eb.fn.countAll<number>().as('parked'))
    .executeTakeFirstOrThrow();
  if (parked !== Number(givenParked)) throw new Error(`${parked} of ${givenParked} are parked.`);
  await services.engine.start();
  for (let number = 0; number < each * (apps - 1); number++)
    await services.engine.makeLive(await workflow(number % (apps - 1), Math.floor(number / (apps - 1)), []));
  const delay = monitorEventLoopDelay({ resolution: 1 });
  delay.enable();
  const cpu = process.cpuUsage();
  await new Promise((resolve) => setTimeout(resolve, Number(givenMinutes) * 60_000));
  const used = process.cpuUsage(cpu);
  delay.disable();
  child.send('how long');
  const { took } = await told<{ took: number[] }>();
  const sorted = took.sort((one, other) => one - other);
  console.log(
    JSON.stringify({
      parked,
      workflows: each * (apps - 1) + 1,
      delivered: sorted.length,
      middle: sorted[Math.floor(sorted.length / 2)] ?? 0,
      slow: sorted[Math.floor(sorted.length * 0.95)] ?? 0,
      slowest: sorted.at(-1) ?? 0,
      longestMs: delay.max / 1e6,
      cpuShare: (used.user + used.system) / 1e6 / (Number(givenMinutes) * 60),
      memoryMb: Math.round(process.memoryUsage().rss / 1024 / 1024),
    }),
  );
  process.exit(0);
}
