import { conceptOf } from '../mapping/concepts.ts';
import type { Filling } from '../mapping/filling.ts';
import { type FieldProfile, profileFields } from '../mapping/profile.ts';
import { suggestKey, suggestMapping, suggestSources } from '../mapping/suggest.ts';
import { saleOf } from '../mapping/suggest-totals.ts';
import type { Ladder } from '../matching/lookup/ladder.ts';
import { proposeLadder } from '../matching/lookup/propose.ts';
import type { Trigger } from '../starts/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { RecordType } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import { greeting, onlyPeople } from './draft-letter.ts';
import { asDraftFirst } from './draft-state.ts';
import { fieldsOfFirms } from './firms.ts';
import type { Place } from './place.ts';
import { businessId, startId } from './references.ts';
import { comesByItself, emptyContent, type FromWhen, type Start, type WorkflowContent } from './schema.ts';

/** The kinds of copy to choose from. */
export const copyKinds = ['each_new', 'in_step', 'all_in_step'] as const;
export type CopyKind = (typeof copyKinds)[number];

/** A kind of copy in the person's words: its name, and what it means. */
export const copyKindLabels: Readonly<Record<CopyKind, { readonly title: string; readonly means: string }>> = {
  each_new: { title: 'Add each new one', means: 'A record that is added from now on is added there once.' },
  in_step: {
    title: 'Keep them in step',
    means: 'What is added or changed from now on is created or updated there, writing only what differs.',
  },
  all_in_step: {
    title: 'Bring everything over, then keep it in step',
    means: 'All that is there now goes over first; what is added or changed later follows.',
  },
};

/** One end of a copy: the place, the name of its app, and records that stand there. */
export interface CopyEnd {
  readonly place: Place;
  readonly app: string;
  readonly records: readonly JsonRecord[];
}

const events: Readonly<Record<CopyKind, { readonly on: Start['on']; readonly fromWhen: FromWhen }>> = {
  each_new: { on: 'added', fromWhen: { kind: 'now' } },
  in_step: { on: 'added_or_changed', fromWhen: { kind: 'now' } },
  all_in_step: { on: 'added_or_changed', fromWhen: { kind: 'all' } },
};

/**
 * The whole draft of a copy from one place to another: its name, its start, and a write with a
 * proposed key and mapping. Everything proposed is marked so with its reason, until a person accepts it.
 */
export function draftCopy(from: CopyEnd, to: CopyEnd, chosen: CopyKind, scheme: string): WorkflowContent {
  const { sentTo, document, singular } = to.place.described;
  // What goes out, and what is made once, can't be kept in step.
  const kind = sentTo || document ? 'each_new' : chosen;
  const name = sentTo
    ? `${from.app} ${recordsOf(from)}, ${singular === 'answer' ? 'answered' : `each sent a ${singular}`}`
    : document
      ? `${from.app} ${recordsOf(from)}, each with a ${singular}`
      : proposeName(scheme, from, to);
  const empty = emptyContent(name);
  const { described } = from.place;
  const sources = suggestSources(from.records, described.fields, startId);
  const sale = saleOf(described, from.records, startId);
  const wanted = fieldsOfFirms(to.place.described, sources);
  const suggestions = suggestMapping(sources, wanted, to.records, sale, described.singular);
  const { can, findBy, fields } = to.place.described;
  const canUpdate = can.find && can.update && !document;
  const key = canUpdate ? suggestKey(suggestions, sources, fields, findBy) : undefined;
  const dear = greeting(sources);
  const letters = Object.fromEntries(
    fields.flatMap(({ path, isLong, byPersonOnly }) => (dear && isLong && byPersonOnly ? [[path, dear]] : [])),
  );
  const called = [
    ...(document ? [proposeFileName(document.name, singular, from)] : []),
    ...Object.entries(document?.ours ?? {}).map(ourOwn),
  ].filter((one) => one !== undefined);
  const filled = new Set(suggestions.map(({ path }) => path));
  const ladder =
    canUpdate && (!key || key.isWeak) ? ladderFor(to.place.described, (path) => filled.has(path)) : undefined;
  // Adding with a key never makes a second copy of one that is there already.
  const isKeyed = kind !== 'each_new' || key !== undefined || ladder !== undefined;
  const write: WriteStep = {
    id: 'write-1',
    kind: 'write',
    target: to.place,
    mode: isKeyed && canUpdate ? 'create_or_update' : 'append',
    ...(ladder ? { ladder } : key && { key: key.path }),
    mapping: {
      ...Object.fromEntries(suggestions.map((one) => [one.path, one.filling])),
      ...letters,
      ...Object.fromEntries(called.map(({ path, filling }) => [path, filling])),
    },
    suggested: Object.fromEntries(
      [...suggestions, ...called].map((one) => [
        one.path,
        one.path === key?.path ? `${one.reason}; ${key.reason}` : one.reason,
      ]),
    ),
  };
  const identity = proposeIdentity(from);
  return {
    ...empty,
    start: {
      ...empty.start,
      ...events[kind],
      ...paidFirst(from, to, kind),
      source: from.place,
      ...(identity && { identity }),
    },
    steps: [...(sentTo ? onlyPeople(described) : []), asDraftFirst(write)],
  };
}

/** A field of a document that says who the business itself is. */
const ourOwn = ([path, fact]: [string, string]) => ({
  path,
  filling: { kind: 'field', ref: { step: businessId, path: fact }, tidies: [] } satisfies Filling,
  reason: 'it is your own',
});

/**
 * What a document's file is called: after the document, and by what its record is known by among people. That is a
 * number or a name that every record has, and no two the same, where the records show one; else their id.
 */
function proposeFileName(path: string, singular: string, from: CopyEnd) {
  const fields = from.place.described.fields.filter(({ type }) => !['record', 'list', 'boolean'].includes(type));
  const telling = profileFields(from.records, fields)
    .filter(({ filled, distinct }) => filled === 1 && distinct === 1)
    .map(({ field }) => field);
  const fit = telling.length > 0 ? telling : fields;
  const known =
    fit.find(({ label }) => /\b(number|no)\b/i.test(label)) ??
    fit.find(({ label }) => conceptOf(label) === 'name') ??
    fit.find(({ type }) => type === 'id') ??
    fit[0];
  if (!known) return undefined;
  const filling: Filling = {
    kind: 'text',
    parts: [
      { kind: 'words', text: `${singular} ` },
      { kind: 'field', ref: { step: startId, path: known.path } },
    ],
    tidies: [],
  };
  return { path, filling, reason: `its ${known.label} tells it from the others` };
}

/**
 * Several ways to recognise a record where no one field tells all of them apart: people and firms of whom
 * some have no address, and some are there twice. Undefined where nothing else than one field tells.
 */
function ladderFor(described: RecordType, isFilled: (path: string) => boolean): Ladder | undefined {
  const hasIds = described.fields.some((field) => field.type === 'id' && field.readOnly);
  if (!described.can.list || !hasIds) return undefined;
  const ladder = proposeLadder(described, isFilled, 'start');
  return ladder.rungs.some(({ kind }) => kind === 'alike') ? { ...ladder, atNone: 'create' } : undefined;
}

/** An invoice is made when its order becomes paid, where the orders say so (common practice). */
function paidFirst(from: CopyEnd, to: CopyEnd, kind: CopyKind): Partial<Pick<Start, 'on' | 'becomes'>> {
  if (kind === 'all_in_step' || !/invoice/i.test(to.place.described.singular)) return {};
  const status = profileFields(from.records, from.place.described.fields).find(
    ({ field, frequent }) =>
      conceptOf(field.label) === 'status' && frequent.some(({ value }) => value.toLowerCase() === 'paid'),
  );
  const paid = status?.frequent.find(({ value }) => value.toLowerCase() === 'paid')?.value;
  return status && paid !== undefined ? { on: 'becomes', becomes: { path: status.field.path, value: paid } } : {};
}

/** A draft that only knows where its records come from: all of a list that is there, taken when a person says so. */
export function draftOfList(from: Pick<CopyEnd, 'place' | 'records'>, name: string): WorkflowContent {
  const empty = emptyContent(name);
  const identity = proposeIdentity(from);
  return {
    ...empty,
    start: {
      ...empty.start,
      source: from.place,
      on: 'added',
      trigger: { kind: 'hand' },
      fromWhen: { kind: 'all' },
      ...(identity && { identity }),
    },
  };
}

/**
 * A draft of what comes by itself, or is begun by a person or by the clock: each once, from now on.
 *
 * @param on - a record of a file may come again, changed
 */
export function draftOfEvents(
  source: Place,
  name: string,
  trigger: Trigger = { kind: 'event' },
  on: Start['on'] = 'added',
): WorkflowContent {
  const empty = emptyContent(name);
  return { ...empty, start: { ...empty.start, source, on, waitsToFit: undefined, trigger } };
}

/** A draft of what other workflows hand over: each of it, whenever that was. */
export function draftOfHanded(source: Place, name: string): WorkflowContent {
  const draft = draftOfEvents(source, name, { kind: 'handed' }, 'added_or_changed');
  return { ...draft, start: { ...draft.start, fromWhen: { kind: 'all' } } };
}

/** A draft with what a copy adds to it: the steps, what makes a record come, and a name that says where it goes. */
export const withCopy = (draft: WorkflowContent, copy: WorkflowContent): WorkflowContent => ({
  ...draft,
  // What comes by itself has been given a name by a person.
  name: comesByItself(draft.start) ? draft.name : copy.name,
  // What comes by itself comes once, and from now on.
  start: comesByItself(draft.start)
    ? draft.start
    : { ...draft.start, on: copy.start.on, fromWhen: copy.start.fromWhen },
  steps: [...draft.steps, ...copy.steps],
});

/** The field that names a record where the place gives no ids: the fittest that its records show. */
export function proposeIdentity({ place, records }: Pick<CopyEnd, 'place' | 'records'>): string | undefined {
  const { fields } = place.described;
  if (fields.some((field) => field.type === 'id' && field.readOnly)) return undefined;
  const rank = (profile: FieldProfile): number => {
    const isCode = /\b(number|no|id|ref|reference|code|article|sku)\b/i.test(profile.field.label);
    const worth = { fit: 4, weak: 2, unfit: 0 }[profile.fitness];
    return worth === 0 ? 0 : worth + (isCode ? 1.5 : 0) + (profile.looksLike === 'email' ? 1 : 0);
  };
  const [best] = profileFields(records, fields).sort((one, other) => rank(other) - rank(one));
  return best && rank(best) > 0 ? best.field.path : undefined;
}

/** The words that a naming scheme may hold, each filled from the draft. */
export const schemePlaceholders = ['from', 'to', 'records', 'place'] as const;
/** How a workflow is called where the workspace says nothing else. */
export const defaultScheme = '{from} {records} into {to}';

/** What the records of a place are called together: a tab's rows by the tab. */
const recordsOf = ({ place: { described, labels } }: CopyEnd): string =>
  described.singular === 'row' ? (labels.at(-1) ?? 'rows') : described.plural;

/** A workflow's name by the person's naming scheme: "Shop counter customers into Workbook shelf". */
export function proposeName(scheme: string, from: CopyEnd, to: CopyEnd): string {
  const tab = to.place.labels.at(-1) ?? '';
  const values: Record<(typeof schemePlaceholders)[number], string> = {
    from: from.app,
    to: to.app,
    records: recordsOf(from),
    place: tab,
  };
  const name = scheme.replace(/\{(from|to|records|place)\}/g, (_all, word: keyof typeof values) => values[word]);
  return name.replace(/\s+/g, ' ').trim().slice(0, 120) || `${from.app} into ${to.app}`;
}
