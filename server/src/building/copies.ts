import { type CopyEnd, type CopyKind, draftCopy, type Place, type WorkflowContent } from '@golden/core';
import { NotPossible } from '../engine/errors.ts';
import { sourcePages } from '../engine/source-pages.ts';
import { withLearntWeights } from '../matching/weights.ts';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';

/** A place as it was chosen, not yet described. */
export type ChosenPlace = Omit<Place, 'described'>;

/** Records looked at for proposals: enough to see what a field holds. */
const lookedAt = 400;

/** The whole draft of a copy between two chosen places, with everything proposed that can be. */
export async function copyBetween(
  services: Services,
  from: ChosenPlace,
  to: ChosenPlace,
  kind: CopyKind,
): Promise<WorkflowContent> {
  if (from.connection === to.connection && from.path.join('\n') === to.path.join('\n'))
    throw new NotPossible('From and to are the same place. Choose another for one of them.');
  const { naming } = await loadSettings(services.db);
  const draft = draftCopy(await lookAt(services, from), await lookAt(services, to), kind, naming);
  return withLearntWeights(services.db, draft);
}

/** A place as it is now, with the last records of its first pages. */
export async function lookAt({ connections }: Services, chosen: ChosenPlace): Promise<CopyEnd> {
  const { name } = await connections.get(chosen.connection);
  const connector = await connections.connector(chosen.connection);
  const place: Place = { ...chosen, described: await connector.describe(chosen.path) };
  const records: CopyEnd['records'][number][] = [];
  if (place.described.can.list) {
    const start = {
      source: place,
      on: 'added' as const,
      trigger: { kind: 'hand' as const },
      fromWhen: { kind: 'now' as const },
    };
    for await (const page of sourcePages(connector, start)) {
      records.push(...page.records.map((one) => one.record));
      if (records.length >= lookedAt) break;
    }
  }
  return { place, app: name, records: records.slice(-lookedAt) };
}
