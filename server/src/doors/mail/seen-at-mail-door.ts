import type { JsonRecord } from '@golden/core';
import type { ByteStore } from '../../arrivals/byte-store.ts';
import { markIn } from '../../arrivals/mail-marks.ts';
import { readBody } from '../../arrivals/read-body.ts';
import type { Db } from '../../db/open.ts';
import { countsAt, newestArrivals, refusedAt } from '../seen-at-door.ts';

/** The mails that came to an address and those that were refused, the newest first. */
export async function seenAtMailDoor(db: Db, bytes: ByteStore, inbox: string) {
  const came = await Promise.all(
    (await newestArrivals(db, inbox)).map(async (row) => {
      const reading = await readBody(row.media_type, row.body ?? (await bytes.get(row.hash)));
      const record: JsonRecord = reading.ok ? reading.record : {};
      const from = record['from'] as JsonRecord | undefined;
      return {
        seq: row.seq,
        key: row.key,
        at: row.at,
        repeats: row.repeats,
        from: String(from?.['name'] || from?.['address'] || ''),
        subject: String(record['subject'] ?? ''),
        kind: String(record['kind'] ?? ''),
        is: markIn(row.headers) ?? null,
      };
    }),
  );
  return { came, refused: await refusedAt(db, inbox), counts: await countsAt(db, inbox) };
}
