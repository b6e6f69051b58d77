import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Db, openDb } from './open.ts';
import { prepared } from './prepared.ts';

const folder = mkdtempSync(join(tmpdir(), 'golden-prepared-'));
let db: Db;

beforeAll(async () => {
  ({ db } = await openDb(join(folder, 'golden.sqlite')));
});

afterAll(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

test('a query asked again takes each value to its place, and keeps what it was built with', async () => {
  const put = prepared((trx, one: { name: string; value: string | null }) =>
    trx.insertInto('setting').values({ name: one.name, value: one.value ?? '' }),
  );
  const move = prepared((trx, { from, to }: { from: string; to: string }) =>
    trx
      .updateTable('setting')
      .set({ value: to })
      .where('value', '=', from)
      .where('name', '!=', 'kept')
      .returning('name'),
  );
  const seen = await db.transaction().execute(async (trx) => {
    for (const [name, value] of [
      ['kept', 'same'],
      ['one', 'same'],
      ['two', 'other'],
    ] as const)
      await put(trx, { value, name });
    // The same value in two places, and values that change places from one call to the next.
    return [
      await move(trx, { from: 'same', to: 'same' }),
      await move(trx, { from: 'same', to: 'moved' }),
      await move(trx, { to: 'last', from: 'moved' }),
    ];
  });
  expect(seen).toEqual([[{ name: 'one' }], [{ name: 'one' }], [{ name: 'one' }]]);
  const left = await db
    .selectFrom('setting')
    .selectAll()
    .where('name', 'in', ['kept', 'one', 'two'])
    .orderBy('name')
    .execute();
  expect(left.map(({ name, value }) => [name, value])).toEqual([
    ['kept', 'same'],
    ['one', 'last'],
    ['two', 'other'],
  ]);
});
