import { AppError } from '@golden/connectors';
import {
  type CopyEnd,
  type CopyKind,
  draftCopy,
  type Place,
  proposedLookup,
  type WorkflowContent,
  withLookupFor,
} from '@golden/core';
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
  const [source, target] = [await lookAt(services, from), await lookAt(services, to)];
  const draft = await withLookups(services, draftCopy(source, target, kind, naming), source, target);
  return withLearntWeights(services.db, draft);
}

/** The draft with a lookup for each id of another record that the destination requires. */
async function withLookups(
  services: Services,
  draft: WorkflowContent,
  source: CopyEnd,
  { place }: CopyEnd,
): Promise<WorkflowContent> {
  let content = draft;
  for (const step of draft.steps) {
    if (step.kind !== 'write') continue;
    for (const { path, idOf, required } of place.described.fields) {
      if (!idOf || !required || step.mapping[path]) continue;
      const there = await lookAtBeside(services, place, idOf);
      if (!there) continue;
      const lookup = proposedLookup(content, there.place, source.records, there.records);
      if (lookup.ladder.rungs.length > 0) content = withLookupFor(content, step.id, path, lookup);
    }
  }
  return content;
}

/** Another record type beside a place, such as the customers of the same company; undefined where there is none. */
async function lookAtBeside(services: Services, place: Place, name: string): Promise<CopyEnd | undefined> {
  try {
    const path = [...place.path.slice(0, -1), name];
    return await lookAt(services, { connection: place.connection, path, labels: [...place.labels.slice(0, -1), name] });
  } catch (error) {
    if (error instanceof AppError) return undefined;
    throw error;
  }
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
