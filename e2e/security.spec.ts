import { createServer, type Server } from 'node:http';
import { ask, putAway, workflowCalled } from './acts.ts';
import { expect, type Product, test } from './product.ts';

/** A page of another origin of this very machine, as any other program here could serve one. */
async function otherPage(html: string): Promise<{ url: string; close: () => void }> {
  const server: Server = createServer((_request, response) => {
    response.writeHead(200, { 'content-type': 'text/html' }).end(`<!doctype html><title>Other</title>${html}`);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as { port: number };
  return { url: `http://127.0.0.1:${port}`, close: () => server.close() };
}

const workflowsOf = async (product: Product): Promise<number> =>
  (await ask<unknown[]>(product, 'GET', '/api/workflows')).length;

test('a page of another origin can’t frame, post, read, listen, or hold on to what it opened', async ({
  page,
  empty: product,
}) => {
  const other = await otherPage('<iframe name="inside"></iframe><iframe name="answer"></iframe><form></form>');
  const before = await workflowsOf(product);
  await page.goto(other.url);

  // Framing: the browser shows its own error in place of our page.
  await page.evaluate((url) => {
    document.querySelector('iframe')?.setAttribute('src', url);
  }, product.url);
  await expect.poll(() => page.frame('inside')?.url()).toContain('chrome-error');

  // Posting, in every way that needs no leave; with leave asked for, none is given.
  const tried = await page.evaluate(async (url) => {
    const body = JSON.stringify({ name: 'Made by another page' });
    const post = (init: RequestInit): Promise<string> =>
      fetch(`${url}/api/workflows`, { method: 'POST', body, ...init }).then(
        (answer) => answer.type,
        () => 'refused',
      );
    const read = (path: string, init: RequestInit = {}): Promise<string> =>
      fetch(url + path, init).then(
        async (answer) => `${answer.type}:${(await answer.text()).length}`,
        () => 'refused',
      );
    return {
      plain: await post({ mode: 'no-cors', headers: { 'content-type': 'text/plain' } }),
      form: await post({ mode: 'no-cors', headers: { 'content-type': 'application/x-www-form-urlencoded' } }),
      json: await post({ headers: { 'content-type': 'application/json' } }),
      beacon: navigator.sendBeacon(`${url}/api/workflows`, body),
      removing: await fetch(`${url}/api/connections/x`, { method: 'DELETE' }).then(
        () => 'done',
        () => 'refused',
      ),
      read: await read('/api/connections'),
      opaque: await read('/api/connections', { mode: 'no-cors' }),
      listening: await new Promise((resolve) => {
        const source = new EventSource(`${url}/api/events`);
        source.onopen = () => resolve('open');
        source.onerror = () => resolve('refused');
      }),
    };
  }, product.url);
  expect(tried).toMatchObject({ json: 'refused', removing: 'refused', read: 'refused', listening: 'refused' });
  expect(['refused', 'opaque:0']).toContain(tried.opaque);
  await page.evaluate((url) => {
    const form = document.querySelector('form') as HTMLFormElement;
    form.action = `${url}/api/workflows`;
    form.method = 'post';
    form.enctype = 'text/plain';
    form.target = 'answer';
    const field = document.createElement('input');
    field.name = '{"name":"Made by a form","x":"';
    field.value = '"}';
    form.append(field);
    form.submit();
  }, product.url);
  await expect.poll(() => page.frame('answer')?.url()).not.toBe('about:blank');
  expect(await workflowsOf(product)).toBe(before);

  // Opening is allowed, as a link is; holding on to it isn't, either way.
  const [opened] = await Promise.all([
    page.context().waitForEvent('page'),
    page.evaluate((url) => {
      (globalThis as unknown as { held: Window | null }).held = window.open(url);
    }, product.url),
  ]);
  await expect(opened.getByRole('heading').first()).toBeVisible();
  expect(await opened.evaluate(() => window.opener)).toBeNull();
  expect(await page.evaluate(() => (globalThis as unknown as { held: Window | null }).held?.closed)).toBe(true);
  other.close();
});

test('a workflow file says where it reaches before it is imported; our own pages keep to the browser’s guards', async ({
  page,
  demo: product,
}) => {
  const broken: string[] = [];
  page.on('console', (message) => {
    if (message.text().includes('Content Security Policy')) broken.push(message.text().slice(0, 200));
  });
  await page.goto(`${product.url}/workflows`);
  const id = await workflowCalled(product, 'Shop customers onto the customer list');
  const file = await ask<{ connections: { id: string; app: string; name: string }[]; content: { steps: unknown[] } }>(
    product,
    'GET',
    `/api/workflows/${id}/export`,
  );
  const call = { method: 'POST', address: '@127.0.0.1:9/steal', headers: [], fields: [], onlyReads: true };
  file.connections.push({ id: 'desk', app: 'web_address', name: 'Desk' });
  file.content.steps.push({
    id: 'steal',
    kind: 'write',
    mode: 'append',
    mapping: {},
    target: {
      connection: 'desk',
      path: [JSON.stringify(call)],
      labels: ['A harmless note'],
      described: {
        ...{ name: 'call', singular: 'call', plural: 'calls', fields: [] },
        can: { list: false, find: false, create: true, update: false, readBack: false },
      },
    },
  });
  await page.getByRole('button', { name: 'Import a file' }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByLabel('A file exported from Golden Relay').setInputFiles({
    name: 'theirs.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify(file)),
  });
  await expect(drawer.getByText('calls POST /@127.0.0.1:9/steal (also while rehearsing)')).toBeVisible();
  await expect(drawer.getByText(/^reads /).first()).toBeVisible();
  await expect(drawer.getByText(/^at http:\/\/(127\.0\.0\.1|localhost):\d+$/).first()).toBeVisible();
  await page.screenshot({ path: test.info().outputPath('import.png') });
  await putAway(page);

  for (const path of [
    '/',
    '/workflows',
    `/workflows/${id}`,
    `/workflows/${id}/rehearse`,
    '/needs-you',
    '/runs',
    '/links',
  ])
    await expect((await page.goto(product.url + path))?.status()).toBe(200);
  await page.goto(`${product.url}/settings`);
  await page.getByRole('button', { name: 'Back up now' }).click();
  await expect(page.getByText(/The last one was made just now/)).toBeVisible();
  await page.screenshot({ path: test.info().outputPath('settings.png') });
  expect(broken).toEqual([]);
});
