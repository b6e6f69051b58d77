import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { Refresher } from './refresher.ts';

// Answers that take longer than the time between two changes: told by hand when each is there.

interface Ask {
  readonly answer: (value: number) => void;
}

function watched() {
  const client = new QueryClient();
  const asks: Ask[] = [];
  const observer = new QueryObserver(client, {
    queryKey: ['run', '7'],
    queryFn: () => new Promise<number>((resolve) => asks.push({ answer: resolve })),
  });
  const shown: (number | undefined)[] = [];
  const end = observer.subscribe(({ data }) => shown.push(data));
  const turn = () => new Promise((resolve) => setImmediate(resolve));
  return { client, asks, shown, end, turn, refresher: new Refresher(client) };
}

test('changes that come faster than answers cancel none: each answer is shown, and the last is read after the last change', async () => {
  const { client, asks, shown, end, turn, refresher } = watched();
  asks[0]?.answer(0);
  await turn();
  for (let change = 1; change <= 20; change++) {
    refresher.changed('run');
    await turn();
  }
  expect(asks).toHaveLength(2);
  asks[1]?.answer(1);
  await turn();
  await turn();
  expect(shown.at(-1)).toBe(1);
  // What changed while that was on its way is read once more, and once only.
  expect(asks).toHaveLength(3);
  asks[2]?.answer(20);
  await turn();
  await turn();
  expect([shown.at(-1), asks.length]).toEqual([20, 3]);
  end();
  client.clear();
});

test('what a page began to read before the change is read once more after it: its answer may be of before', async () => {
  const { client, asks, shown, end, turn, refresher } = watched();
  // The page has just opened, and asks; then something changes, once.
  refresher.changed('run');
  await turn();
  asks[0]?.answer(0);
  await turn();
  await turn();
  expect(asks).toHaveLength(2);
  asks[1]?.answer(1);
  await turn();
  await turn();
  expect([shown.at(-1), asks.length]).toEqual([1, 2]);
  end();
  client.clear();
});

test('what is on its way for a page that was left keeps nobody waiting: the browser goes on, and it is read once more', async () => {
  const { client, asks, end, turn } = watched();
  let looks = 0;
  const refresher = new Refresher({
    isFetching: (filters) => {
      // Without a pause it would be asked for ever, and not even a timer would run.
      if (looks++ > 500) throw new Error('It goes round and round.');
      return client.isFetching(filters);
    },
    invalidateQueries: (filters, options) => client.invalidateQueries(filters, options),
  });
  // The drawer is closed while its answer is on its way, and something changes in that moment.
  end();
  refresher.changed('run');
  await turn();
  expect(looks).toBeLessThan(10);
  asks[0]?.answer(0);
  while (looks < 3) await new Promise((resolve) => setTimeout(resolve, 5));
  await turn();
  expect(client.getQueryState(['run', '7'])).toMatchObject({ data: 0, isInvalidated: true });
  client.clear();
});

test('another name isn’t kept waiting, and all of it is read anew when the stream was lost', async () => {
  const names: unknown[] = [];
  const refresher = new Refresher({
    isFetching: () => 0,
    invalidateQueries: (filters, options) => {
      names.push([filters?.queryKey, options?.cancelRefetch]);
      return new Promise<void>(() => undefined);
    },
  });
  refresher.changed('run');
  refresher.changed('run');
  refresher.changed('today');
  refresher.all();
  expect(names).toEqual([
    [['run'], false],
    [['today'], false],
    [undefined, false],
  ]);
});
