import { productAroundEach } from '../testing/around.ts';
import { makeApi } from './app.ts';

const around = productAroundEach();

/** Reads a stream of server-sent events (HTML standard, 9.2) until `count` of them have come. */
async function read(response: Response, count: number): Promise<{ event: string; data: unknown }[]> {
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
  const found: { event: string; data: unknown }[] = [];
  let rest = '';
  while (reader && found.length < count) {
    const { value, done } = await reader.read();
    if (done) break;
    rest += value;
    const blocks = rest.split('\n\n');
    rest = blocks.pop() ?? '';
    for (const block of blocks) {
      const fields = Object.fromEntries(block.split('\n').map((line) => line.split(/: (.*)/s).slice(0, 2)));
      if (fields['event'] === 'change') found.push({ event: 'change', data: JSON.parse(fields['data'] ?? 'null') });
    }
  }
  await reader?.cancel();
  return found;
}

const listen = () =>
  makeApi(around.services).request('http://127.0.0.1/api/events', { headers: { host: '127.0.0.1' } });

test('what changes is told to whoever listens, and what changes often is told once, with the last of it', async () => {
  const response = await listen();
  expect(response.headers.get('content-type')).toContain('text/event-stream');
  for (let done = 1; done <= 500; done++) around.services.events.tell({ topic: 'run', workflow: 'w', id: 'r', done });
  around.services.events.tell({ topic: 'connection', id: 'c' });
  const told = await read(response, 2);
  expect(told).toContainEqual({ event: 'change', data: expect.objectContaining({ topic: 'connection', id: 'c' }) });
  expect(told).toContainEqual({ event: 'change', data: expect.objectContaining({ topic: 'run', id: 'r', done: 500 }) });
});

test('two who listen are told the same; one that goes away is told nothing more and holds nothing', async () => {
  const [one, other] = [await listen(), await listen()];
  around.services.events.tell({ topic: 'workspace' });
  expect(await read(one, 1)).toEqual(await read(other, 1));
  // Both have gone: telling reaches nobody, and nothing throws.
  expect(() => around.services.events.tell({ topic: 'workspace' })).not.toThrow();
  const again = await listen();
  around.services.events.tell({ topic: 'duplicates' });
  expect(await read(again, 1)).toEqual([{ event: 'change', data: expect.objectContaining({ topic: 'duplicates' }) }]);
});
