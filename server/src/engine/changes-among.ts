import type { SourceRecord } from '@golden/connectors';
import { type LastSeen, revisionOf, type Start } from '@golden/core';
import type { IntakeRow } from '../db/schema.ts';
import { echoFor } from '../in-step/echo.ts';
import { fingerprintOf, isChange, loadSeen } from './change-detection.ts';
import type { EngineContext } from './context.ts';
import { ownAmong, takesOwn } from './own-writes.ts';
import type { SourcePage } from './source-pages.ts';

/** Those of a source's records that a check would take in now. */
export async function changesAmong(
  context: Pick<EngineContext, 'db' | 'seams' | 'connections' | 'workflows'>,
  intake: IntakeRow,
  start: Start,
  page: Pick<SourcePage, 'path' | 'records'>,
): Promise<SourceRecord[]> {
  const known = await loadSeen(context.db, intake.id, page.records);
  const changes = page.records.filter((record) => {
    const last = known.get(record.id);
    const fingerprint = fingerprintOf(record.record);
    const { revision } = revisionOf(
      { version: record.version, updated: record.updated, fingerprint },
      last as LastSeen,
    );
    return isChange(record, last, last?.revision === revision && last.is_gone === 0, start);
  });
  if (changes.length === 0 || takesOwn(start)) return changes;
  const echo = await echoFor(context, intake.workflow_id);
  const own = await ownAmong(context, start, intake, { path: page.path, records: changes }, known, undefined, echo);
  return changes.filter(({ id }) => !own.ids.has(id));
}
