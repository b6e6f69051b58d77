import { type Field, fieldsOfExample } from '@golden/core';
import type { Selectable } from 'kysely';
import type { ByteStore } from '../arrivals/byte-store.ts';
import { readBody } from '../arrivals/read-body.ts';
import type { Db } from '../db/open.ts';
import type { ArrivalTable } from '../db/schema.ts';

/** Of what came and of what was refused so many are shown, the newest. */
const mostShown = 20;

/** What has come to a door and what it refused, the newest first. */
export async function seenAtDoor(db: Db, bytes: ByteStore, inbox: string) {
  const arrivals = await newestArrivals(db, inbox);
  const shapes = await Promise.all(arrivals.map((row) => fieldsOf(bytes, row)));
  const times = new Map<string, number>();
  for (const shape of shapes) for (const { path } of shape) times.set(path, (times.get(path) ?? 0) + 1);
  const labels = new Map(shapes.flat().map(({ path, label }) => [path, label]));
  const came = arrivals.map((row, at) => {
    const own = new Set((shapes[at] ?? []).map(({ path }) => path));
    const named = (paths: readonly string[]): string[] => paths.map((path) => labels.get(path) ?? path);
    return {
      seq: row.seq,
      key: row.key,
      at: row.at,
      mediaType: row.media_type,
      size: row.size,
      repeats: row.repeats,
      isTest: row.is_test === 1,
      fields: own.size,
      lacks: named([...times.keys()].filter((path) => !own.has(path))),
      only: shapes.length > 1 ? named([...own].filter((path) => times.get(path) === 1)) : [],
    };
  });
  return { came, refused: await refusedAt(db, inbox), counts: await countsAt(db, inbox) };
}

/** What came into an inbox, the newest first. */
export const newestArrivals = (db: Db, inbox: string): Promise<Selectable<ArrivalTable>[]> =>
  db
    .selectFrom('arrival')
    .selectAll()
    .where('inbox_id', '=', inbox)
    .where('refused', 'is', null)
    .where('emptied_at', 'is', null)
    .orderBy('seq', 'desc')
    .limit(mostShown)
    .execute();

/** What was refused, the newest first. */
export async function refusedAt(db: Db, inbox: string) {
  const refusals = await db
    .selectFrom('refusal')
    .select((eb) => ['seq', 'at', 'status', 'reason', 'came_from', 'size', eb('body', 'is not', null).as('is_kept')])
    .where('inbox_id', '=', inbox)
    .orderBy('seq', 'desc')
    .limit(mostShown)
    .execute();
  return refusals.map(({ came_from, is_kept, ...row }) => ({ ...row, from: came_from, isKept: Number(is_kept) === 1 }));
}

/** One that came, or was refused, as it came. @throws NoResultError where it isn't there */
export async function bodyAtDoor(
  db: Db,
  bytes: ByteStore,
  inbox: string,
  isRefused: boolean,
  seq: number,
): Promise<{ readonly mediaType: string; readonly headers: string; readonly body: Uint8Array | null }> {
  if (isRefused) {
    const { media_type, headers, body } = await db
      .selectFrom('refusal')
      .select(['media_type', 'headers', 'body'])
      .where('seq', '=', seq)
      .where('inbox_id', '=', inbox)
      .executeTakeFirstOrThrow();
    return { mediaType: media_type, headers, body };
  }
  const { media_type, headers, body, hash } = await db
    .selectFrom('arrival')
    .select(['media_type', 'headers', 'body', 'hash'])
    .where('seq', '=', seq)
    .where('inbox_id', '=', inbox)
    .executeTakeFirstOrThrow();
  return { mediaType: media_type, headers, body: body ?? (await bytes.get(hash)) };
}

/** How many came into an inbox, came again, and were refused. */
export async function countsAt(db: Db, inbox: string) {
  const { came, repeats } = await db
    .selectFrom('arrival')
    .select((eb) => [
      eb.fn.countAll<number>().as('came'),
      eb.fn.coalesce(eb.fn.sum<number>('repeats'), eb.val(0)).as('repeats'),
    ])
    .where('inbox_id', '=', inbox)
    .where('is_test', '=', 0)
    .executeTakeFirstOrThrow();
  const { refused } = await db
    .selectFrom('refusal')
    .select((eb) => eb.fn.countAll<number>().as('refused'))
    .where('inbox_id', '=', inbox)
    .executeTakeFirstOrThrow();
  return { came, repeats, refused };
}

async function fieldsOf(bytes: ByteStore, row: Pick<ArrivalTable, 'media_type' | 'body' | 'hash'>): Promise<Field[]> {
  const reading = await readBody(row.media_type, row.body ?? (await bytes.get(row.hash)));
  return reading.ok ? fieldsOfExample(reading.record) : [];
}
