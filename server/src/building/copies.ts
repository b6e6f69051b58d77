import { AppError } from '@golden/connectors';
import {
  type CopyEnd,
  type CopyKind,
  conceptOf,
  draftCopy,
  type Field,
  type Filling,
  fetchOf,
  isOfAnother,
  isOfFirms,
  type LookupStep,
  nameWords,
  type Place,
  proposedLookup,
  type RecordType,
  type SuggestSource,
  singularOf,
  startId,
  suggestSources,
  type WorkflowContent,
  withLookupFor,
  withStepBefore,
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
  const plain = await withLookups(services, draftCopy(source, target, kind, naming), source, target);
  const draft = await withNamesOfOthers(services, plain, source);
  return withLearntWeights(services.db, draft);
}

/**
 * The draft with a lookup for each id of another record that the destination takes. Where the source only
 * names a record of its own app (an invoice's customer), that one is fetched first, if its fields tell who
 * it is. One that isn't required stays empty where nobody is found.
 */
async function withLookups(
  services: Services,
  draft: WorkflowContent,
  source: CopyEnd,
  { place }: CopyEnd,
): Promise<WorkflowContent> {
  const write = draft.steps.find((step) => step.kind === 'write');
  if (!write) return draft;
  const ids = place.described.fields.filter((field) => isOfAnother(field) && !write.mapping[field.path]);
  if (ids.length === 0) return draft;
  const named = await namedBySource(services, draft, source);
  let content = draft;
  let fetched: SuggestSource[] = [];
  for (const { path, idOf = '', required } of ids) {
    const there = await lookAtBeside(services, place, idOf);
    if (!there) continue;
    const propose = (beside: readonly SuggestSource[]) =>
      proposedLookup(content, there.place, source.records, there.records, beside);
    let lookup = propose(fetched);
    if (lookup.ladder.rungs.length === 0 && fetched.length === 0 && named) {
      const before = withStepBefore(content, write.id, named.step);
      const beside = suggestSources(named.records, named.place.described.fields, named.step.id);
      const better = proposedLookup(before, there.place, source.records, there.records, beside);
      if (better.ladder.rungs.length > 0) [content, fetched, lookup] = [before, beside, better];
    }
    if (lookup.ladder.rungs.length === 0) continue;
    const optional = { ladder: { ...lookup.ladder, atNone: 'empty' as const }, ...onlyIfNamed(lookup, there.place) };
    content = withLookupFor(content, write.id, path, required ? lookup : { ...lookup, ...optional });
  }
  return content;
}

/**
 * The draft with the name or number of a record that the source only has the id of, where a field there is
 * called by it: the number of a payment's invoice in a column "Invoice".
 */
async function withNamesOfOthers(
  services: Services,
  draft: WorkflowContent,
  source: CopyEnd,
): Promise<WorkflowContent> {
  let content = draft;
  for (const field of source.place.described.fields.filter(isOfAnother)) {
    const write = content.steps.find((step) => step.kind === 'write');
    const wanted = write?.target?.described.fields.find(
      ({ path, label, type }) =>
        !write.mapping[path] && ['text', 'any'].includes(type) && isCalled(label, field.idOf ?? ''),
    );
    const named = wanted && (await lookAtBeside(services, source.place, field.idOf ?? ''));
    const name = named && namingField(named.place.described);
    if (!write || !wanted || !name || !named.place.described.can.readBack) continue;
    const known = content.steps.find((step) => step.kind === 'lookup' && isFetchOf(step, field.path));
    const step = known ?? fetchOf(content, named.place, field);
    if (!known) content = withStepBefore(content, write.id, step);
    const filling: Filling = { kind: 'field', ref: { step: step.id, path: name.path }, tidies: [] };
    const reason = `the ${name.label} of its ${singularOf(field.idOf ?? '')}, which is fetched by its id`;
    content = withFilling(content, write.id, wanted.path, filling, reason);
  }
  return content;
}

const isFetchOf = ({ fetchId }: LookupStep, path: string): boolean =>
  fetchId?.kind === 'field' && fetchId.ref.step === startId && fetchId.ref.path === path;

/** Whether a field is called like one record of a type: "Invoice", "Company". */
const isCalled = (label: string, plural: string): boolean =>
  nameWords(label).join(' ') === nameWords(singularOf(plural)).join(' ');

/** What people call a record by: the number that it alone has, else its name, else its number. */
function namingField({ fields }: RecordType): Field | undefined {
  const plain = fields.filter((field) => field.type !== 'id');
  const called = ['name', 'title', 'number'].map((concept) => plain.find(({ label }) => conceptOf(label) === concept));
  return plain.find((field) => field.unique) ?? called.find((field) => field !== undefined);
}

const withFilling = (
  content: WorkflowContent,
  id: string,
  path: string,
  filling: Filling,
  reason: string,
): WorkflowContent => ({
  ...content,
  steps: content.steps.map((step) =>
    step.id === id && step.kind === 'write'
      ? { ...step, mapping: { ...step.mapping, [path]: filling }, suggested: { ...step.suggested, [path]: reason } }
      : step,
  ),
});

/** A firm is only looked for where the record names one; so none without a name is made once that is chosen. */
function onlyIfNamed({ mapping }: LookupStep, { described }: Place): Pick<LookupStep, 'onlyIf'> {
  const name = described.fields.find(({ label, path }) => conceptOf(label) === 'name' && mapping[path]);
  const filling = name && mapping[name.path];
  if (!isOfFirms(described.singular) || filling?.kind !== 'field') return {};
  const test = { kind: 'test' as const, ref: filling.ref, operator: 'is_not_empty' as const, values: [] };
  return { onlyIf: { kind: 'all', items: [test] } };
}

/** The record of its own app that a record of the source belongs to, with the step that fetches it. */
async function namedBySource(
  services: Services,
  draft: WorkflowContent,
  { place }: CopyEnd,
): Promise<(CopyEnd & { readonly step: LookupStep }) | undefined> {
  const field = place.described.fields.find(isOfAnother);
  const named = field?.idOf === undefined ? undefined : await lookAtBeside(services, place, field.idOf);
  if (!field || !named?.place.described.can.readBack) return undefined;
  return { ...named, step: fetchOf(draft, named.place, field) };
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
