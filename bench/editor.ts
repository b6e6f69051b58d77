import { execSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { emptyContent, type Filling, type Place, startId, type WorkflowContent } from '@golden/core';
import { shelfAccounts } from '@golden/standins';
import { chromium, type Page } from '@playwright/test';
import { type Product, startProduct } from '../e2e/product.ts';

// The editor in the real browser: from a key to the painted values, and from an address to an open sheet.

/** Milliseconds; shares of keys by how long their values took to be painted. */
export interface Typed {
  readonly median: number;
  readonly p95: number;
  readonly worst: number;
}

export interface EditorMeasured {
  readonly forty: Typed;
  readonly threeHundred: Typed;
  /** From a click on a workflow with 210 samples to its brief, counted, and its samples. */
  readonly openMs: number;
  /** What has to come before Today stands, packed as a line would carry it. */
  readonly firstLoadBytes: number;
}

const typedText = 'the quick brown fox jumps over the lazy dog and goes on to the kiln';

/** Measures the editor on a product of its own. The web must be built. */
export async function measureEditor(): Promise<EditorMeasured> {
  const product = await startProduct(false);
  const browser = await chromium.launch({
    executablePath: execSync('command -v chromium', { encoding: 'utf8' }).trim(),
    args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu', '--disable-background-networking'],
  });
  try {
    const ask = api(product);
    await ask('PUT', '/api/settings', { ...(await ask('GET', '/api/settings')), isSetUp: true });
    const { id: connection } = await ask('POST', '/api/connections', {
      app: 'workbook_shelf',
      name: 'Shelf',
      settings: { address: `${product.shelf}/api` },
      key: shelfAccounts[0]?.token,
    });
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const sheet = async (fields: number, samples: number, onSheet: number): Promise<string> =>
      makeWorkflow(product, ask, connection as string, fields, samples, onSheet);
    const forty = await typeInto(page, product, await sheet(40, 60, 50));
    const threeHundred = await typeInto(page, product, await sheet(300, 60, 50));
    const openMs = await openWorkflow(page, product, await sheet(40, 210, 6), 210);
    return { forty, threeHundred, openMs, firstLoadBytes: await firstLoad(product) };
  } finally {
    await browser.close();
    product.stop();
  }
}

/** The code and styles that the page names to be there before it stands, each packed by gzip. */
async function firstLoad(product: Product): Promise<number> {
  const html = await (await fetch(product.url)).text();
  const files = new Set(
    [...html.matchAll(/(?:src|href)="(\/assets\/[^"]+\.(?:js|css))"/g)].map(([, file]) => file ?? ''),
  );
  let bytes = 0;
  for (const file of files)
    bytes += gzipSync(Buffer.from(await (await fetch(product.url + file)).arrayBuffer())).length;
  return bytes;
}

type Ask = (method: string, path: string, body?: unknown) => Promise<Record<string, unknown>>;

const api =
  (product: Product): Ask =>
  async (method, path, body) => {
    const answer = await fetch(product.url + path, {
      method,
      headers: { 'content-type': 'application/json' },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
    if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`);
    return (await answer.json()) as Record<string, unknown>;
  };

/** A workflow from one wide list to another, every field mapped. */
async function makeWorkflow(
  product: Product,
  ask: Ask,
  connection: string,
  fields: number,
  samples: number,
  onSheet: number,
): Promise<string> {
  const names = Array.from({ length: fields }, (_, at) => `Field ${at + 1}`);
  const files = join(product.folder, 'practice', 'shelf', 'files');
  const rows = Array.from({ length: samples }, (_, row) =>
    names.map((_, at) => (at === 0 ? `N${row}` : (row + at) % 9 === 0 ? '' : `value ${row} of ${at}`)).join(','),
  );
  const from = `from-${fields}-${samples}`;
  writeFileSync(join(files, `${from}.csv`), [names.join(','), ...rows].join('\n'));
  writeFileSync(join(files, `to-${fields}.csv`), `${names.map((name) => `${name} there`).join(',')}\n`);
  const place = async (file: string): Promise<Place> => {
    const path = [`${file}.csv`, file];
    const query = path.map((one) => `path=${encodeURIComponent(one)}`).join('&');
    const { described } = await ask('GET', `/api/connections/${connection}/place?${query}`);
    return { connection, path, labels: path, described: described as Place['described'] };
  };
  const content: WorkflowContent = {
    ...emptyContent(`${fields} fields`),
    start: { ...emptyContent('').start, source: await place(from), identity: '/Field 1' },
    steps: [
      {
        id: 'write',
        kind: 'write',
        target: await place(`to-${fields}`),
        mode: 'append',
        mapping: Object.fromEntries(
          // Every other field by a formula.
          names.map((name, at): [string, Filling] => {
            const ref = { step: startId, path: `/${name}` };
            const formula = `UPPER(TRIM($$'row.${name}')) & " " & LEN($$'row.${name}') * 1.2`;
            return [
              `/${name} there`,
              at % 2 === 1
                ? { kind: 'formula', text: formula, refs: { [`row.${name}`]: ref } }
                : { kind: 'field', ref, tidies: [{ kind: 'squeeze' }] },
            ];
          }),
        ),
      },
    ],
  };
  const { id, rev } = await ask('POST', '/api/workflows', { name: content.name });
  await ask('PUT', `/api/workflows/${id}/draft`, { content, rev });
  await ask('GET', `/api/workflows/${id}/samples`);
  const ids = Array.from({ length: samples }, (_, row) => `n${row}`);
  // Chosen ones are added, so that more than the usual number are kept; then all but some leave it to chance.
  for (let at = 0; at < samples; at += 200)
    await ask('POST', `/api/workflows/${id}/samples`, { kind: 'chosen', ids: ids.slice(at, at + 200) });
  for (const one of ids.slice(onSheet))
    await ask('PUT', `/api/workflows/${id}/samples/${encodeURIComponent(one)}`, { isOnSheet: null });
  return id as string;
}

/** Types a sentence as a fixed value, and gives how long each key took until its values were painted. */
async function typeInto(page: Page, product: Product, id: string): Promise<Typed> {
  await page.goto(`${product.url}/workflows/${id}?sentence=write`);
  await page.getByRole('button', { name: 'Fill Field 2 there:' }).click();
  await page.getByRole('button', { name: 'a fixed value' }).click();
  const input = page.getByLabel('The fixed value');
  await input.click();
  await page.waitForTimeout(1500);
  await page.evaluate(() => {
    const times: number[] = [];
    Object.assign(window, { paintedAfter: times });
    document.addEventListener(
      'keydown',
      (event) => {
        const pressed = event.timeStamp;
        // A task queued by a frame runs after that frame was painted.
        requestAnimationFrame(() => setTimeout(() => times.push(performance.now() - pressed)));
      },
      true,
    );
  });
  await input.pressSequentially(typedText, { delay: 45 });
  await page.waitForTimeout(300);
  const shown = await page.getByLabel('Mapping sheet').getByText(typedText, { exact: true }).count();
  if (shown < 6) throw new Error('The typed value does not stand on the sheet.');
  const times = await page.evaluate(() => (window as unknown as { paintedAfter: number[] }).paintedAfter);
  const sorted = times.sort((one, other) => one - other);
  const at = (share: number): number => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0;
  return { median: at(0.5), p95: at(0.95), worst: at(1) };
}

/** From a click in the list of workflows to its brief with counts and its samples; the middle of five. */
async function openWorkflow(page: Page, product: Product, id: string, samples: number): Promise<number> {
  const times: number[] = [];
  for (let time = 0; time < 6; time++) {
    await page.goto(`${product.url}/workflows`);
    await page.locator(`a[href="/workflows/${id}"]`).waitFor();
    await page.waitForTimeout(400);
    // As text, because a compiled function would bring along helpers that the page doesn't have.
    const watch = `new Promise((resolve) => {
      const begun = performance.now();
      document.querySelector('a[href="/workflows/${id}"]').click();
      requestAnimationFrame(function look() {
        const row = document.querySelector('[aria-label="Samples, field by field"] tbody tr');
        const counts = [...document.querySelectorAll('[data-sentence] > span:first-child')];
        const isThere = row && counts.length > 1 && counts.every((one) => one.textContent.startsWith('${samples}'));
        if (isThere) setTimeout(() => resolve(performance.now() - begun));
        else requestAnimationFrame(look);
      });
    })`;
    times.push(await page.evaluate<number>(watch));
  }
  // The first time everything is new to the browser.
  return times.slice(1).sort((one, other) => one - other)[2] ?? 0;
}
