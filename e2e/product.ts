import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { test as base } from '@playwright/test';

const root = dirname(dirname(fileURLToPath(import.meta.url)));

type PracticeApp =
  | 'shop'
  | 'shelf'
  | 'ledger'
  | 'cards'
  | 'enquiry'
  | 'notice'
  | 'post'
  | 'jobs'
  | 'pocket'
  | 'newsletter'
  | 'cabinet'
  | 'window';

/** The product as a person has it: built, running, with its practice apps beside it. */
export interface Product {
  readonly url: string;
  /** Where events are posted. */
  readonly door: string;
  readonly shop: string;
  readonly shelf: string;
  readonly ledger: string;
  readonly cards: string;
  readonly enquiry: string;
  readonly notice: string;
  readonly post: string;
  readonly jobs: string;
  readonly pocket: string;
  readonly newsletter: string;
  readonly cabinet: string;
  readonly window: string;
  /** Where mails for workflows are handed over, as host:port. */
  readonly mail: string;
  readonly folder: string;
  /** Ends the server the hard way and starts it again on its data; `meanwhile` is done while it is down. */
  restart(meanwhile?: () => Promise<void>): Promise<void>;
  /** Requests that changed something in a practice app so far. */
  writes(app: PracticeApp): Promise<number>;
  trouble(app: PracticeApp, kind: string, times: number): Promise<void>;
  /** Makes one change on a tab, as a person on the shelf's screen does. */
  edit(file: string, tab: string, edit: Readonly<Record<string, unknown>>): Promise<void>;
}

/** Each practice app's id, by its short name. */
const appOf: Readonly<Record<PracticeApp, string>> = {
  shop: 'shop_counter',
  shelf: 'workbook_shelf',
  ledger: 'ledger',
  cards: 'card_index',
  enquiry: 'enquiry_box',
  notice: 'notice_board',
  post: 'post_room',
  jobs: 'job_board',
  pocket: 'pocket_messages',
  newsletter: 'newsletter_list',
  cabinet: 'key_cabinet',
  window: 'window_display',
};

/** Below the ports that the system gives to outgoing connections, with a range for each worker: nobody else takes one before it is used. */
let nextPort = 20_000 + Number(process.env['TEST_PARALLEL_INDEX'] ?? 5) * 1500;

async function freePort(): Promise<number> {
  for (;;) {
    const port = nextPort++;
    const isFree = await new Promise<boolean>((resolve) => {
      const probe = createServer()
        .once('error', () => resolve(false))
        .listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
    });
    if (isFree) return port;
  }
}

async function untilAnswers(url: string): Promise<void> {
  // Far beyond what the slowest start takes: it ends what hangs.
  for (let tries = 0; tries < 1200; tries++) {
    const isThere = await fetch(url).then(
      (answer) => answer.ok,
      () => false,
    );
    if (isThere) return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`${url} did not answer within two minutes.`);
}

/**
 * Starts everything on free ports and a folder of its own, with the demo's data or without; `isAlone` starts
 * the product only, as somebody has it who begins.
 */
export async function startProduct(
  withDemo: boolean,
  customers = 120,
  { isAlone = false } = {},
): Promise<Product & { stop(): void }> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-e2e-'));
  const [port, doorPort, mailPort] = [await freePort(), await freePort(), await freePort()];
  const practicePorts: Record<PracticeApp, number> = {
    shop: await freePort(),
    shelf: await freePort(),
    ledger: await freePort(),
    cards: await freePort(),
    enquiry: await freePort(),
    notice: await freePort(),
    post: await freePort(),
    jobs: await freePort(),
    pocket: await freePort(),
    newsletter: await freePort(),
    cabinet: await freePort(),
    window: await freePort(),
  };
  const run = (file: string, ...args: string[]): ChildProcess =>
    spawn(process.execPath, [join(root, 'dist', file), ...args], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] });
  const ports = Object.entries(practicePorts).flatMap(([name, one]) => [`--${name}`, String(one)]);
  if (withDemo) {
    const args = [join(root, 'dist', 'make-demo.mjs'), '--data', folder, ...ports, '--customers', String(customers)];
    execFileSync(process.execPath, args, { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] });
  }
  const url = `http://127.0.0.1:${port}`;
  const at = Object.fromEntries(
    Object.entries(practicePorts).map(([name, one]) => [name, `http://127.0.0.1:${one}`]),
  ) as Record<PracticeApp, string>;
  const mail = `127.0.0.1:${mailPort}`;
  const practice = isAlone
    ? undefined
    : run('practice.mjs', '--data', join(folder, 'practice'), '--outside', mail, ...ports);
  const beside = Object.entries(appOf).flatMap(([name, app]) => [
    '--practice',
    `${app}=${at[name as PracticeApp]}/api`,
  ]);
  const begin = (): ChildProcess =>
    run(
      'golden.mjs',
      '--data',
      join(folder, 'golden'),
      '--port',
      String(port),
      '--door-port',
      String(doorPort),
      '--mail-port',
      String(mailPort),
      ...(isAlone ? [] : beside),
    );
  if (!isAlone) for (const one of Object.values(at)) await untilAnswers(`${one}/practice/state`);
  let server = begin();
  await untilAnswers(`${url}/api/settings`);
  return {
    url,
    door: `http://127.0.0.1:${doorPort}`,
    ...at,
    mail,
    folder,
    restart: async (meanwhile) => {
      const ended = new Promise((resolve) => server.once('exit', resolve));
      server.kill('SIGKILL');
      await ended;
      await meanwhile?.();
      // Its lock is free the moment it has ended.
      server = begin();
      await untilAnswers(`${url}/api/settings`);
    },
    writes: async (app) => ((await (await fetch(`${at[app]}/practice/state`)).json()) as { writes: number }).writes,
    trouble: async (app, kind, times) => {
      await fetch(`${at[app]}/practice/trouble`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ kind, times }),
      });
    },
    edit: async (file, tab, edit) => {
      await fetch(`${at.shelf}/files/${encodeURIComponent(file)}/edit`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ tab, edit }),
      });
    },
    stop: () => {
      server.kill('SIGKILL');
      practice?.kill('SIGKILL');
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Tests with a product of their own: empty, empty and without practice apps beside it, or with the demo's data. */
export const test = base.extend<{ empty: Product; alone: Product; ownDemo: Product }, { demo: Product }>({
  // biome-ignore lint/correctness/noEmptyPattern: see below
  alone: async ({}, use) => {
    const product = await startProduct(false, 0, { isAlone: true });
    await use(product);
    product.stop();
  },
  // Playwright wants the first argument taken apart, even where nothing is taken.
  // biome-ignore lint/correctness/noEmptyPattern: see above
  empty: async ({}, use) => {
    const product = await startProduct(false);
    await use(product);
    product.stop();
  },
  /** The demo for one test alone, which changes what others look at. */
  // biome-ignore lint/correctness/noEmptyPattern: see above
  ownDemo: async ({}, use) => {
    const product = await startProduct(true);
    await use(product);
    product.stop();
  },
  demo: [
    // biome-ignore lint/correctness/noEmptyPattern: see above
    async ({}, use) => {
      const product = await startProduct(true);
      await use(product);
      product.stop();
    },
    { scope: 'worker' },
  ],
});
export { expect } from '@playwright/test';
