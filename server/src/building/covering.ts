import {
  emptyContent,
  type Filling,
  type JsonRecord,
  type LookupStep,
  notCovered,
  type Pointer,
  recognisingFields,
  refsOf,
  type Start,
  startId,
  type Uncovered,
  type WorkflowContent,
  type WriteStep,
  writeSteps,
} from '@golden/core';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { copyBetween } from './copies.ts';

/** What isn't covered, with the workflow beside it that covers it already. */
export type Covering = Uncovered & { readonly by: { readonly id: string; readonly name: string } | null };

/** What a draft doesn't cover of its records' later lives, and what other workflows see to. */
export async function coverageOf({ db, workflows, engine }: Services, id: string): Promise<Covering[]> {
  const { draft } = await workflows.get(id);
  // An app that is out says nothing of what occurs; what can be said without it is said.
  const samples = await engine.samples.of(id).catch(() => []);
  const records = samples.map(({ record }) => record as JsonRecord);
  const rows = await db.selectFrom('workflow').select(['id', 'draft']).where('id', '!=', id).execute();
  const others = rows.map((row) => ({ id: row.id, content: JSON.parse(row.draft) as WorkflowContent }));
  return notCovered(draft, records).map((one): Covering => {
    const by = others.find(({ content }) => isSameSource(content.start, draft.start) && sees(content.start, one));
    return { ...one, by: by ? { id: by.id, name: by.content.name } : null };
  });
}

const isSameSource = (one: Start, other: Start): boolean =>
  one.source?.connection === other.source?.connection && one.source?.path.join('\n') === other.source?.path.join('\n');

const sees = ({ on, becomes }: Start, what: Uncovered): boolean =>
  what.kind === 'removed'
    ? on === 'removed'
    : what.kind === 'becomes' && on === 'becomes' && becomes?.path === what.path && becomes.value === what.value;

/**
 * Makes the workflow that sees to what another one doesn't cover. `tell` writes nothing, looks for what was
 * written, and asks a person about each: it is live at once. `add` is a draft for a person to look at.
 */
export async function cover(
  services: Services,
  id: string,
  what: Uncovered,
  how: 'tell' | 'add',
): Promise<{ id: string; name: string }> {
  const { draft, folder } = await services.workflows.get(id);
  const write = writeSteps(draft).findLast((step) => !step.isOff && step.target);
  if (!write || !draft.start.source) throw new NotPossible('This draft writes nothing yet.');
  const start = laterStart(draft.start, what);
  const name = `${draft.name}: ${what.kind === 'becomes' ? what.value : 'removed'} later`.slice(0, 120);
  const content =
    how === 'tell'
      ? { ...emptyContent(name), start, steps: [toldAbout(draft, write, what)] }
      : { ...(await correction(services, draft, write, what)), name, start };
  const made = await services.workflows.add(content, folder ?? undefined);
  if (how === 'tell') await services.engine.makeLive(made.id);
  return { id: made.id, name };
}

const laterStart = (start: Start, what: Uncovered): Start => {
  const { becomes: _before, ...rest } = start;
  return what.kind === 'becomes'
    ? { ...rest, on: 'becomes', becomes: { path: what.path, value: what.value }, fromWhen: { kind: 'now' } }
    : { ...rest, on: 'removed', fromWhen: { kind: 'now' } };
};

/** The fillings of what recognises a record there, as far as they need nothing but the source's record. */
function recognised(write: WriteStep): [Pointer, Filling][] {
  const paths = write.ladder ? recognisingFields(write) : write.key ? [write.key] : [];
  return paths.flatMap((path): [Pointer, Filling][] => {
    const filling = write.mapping[path];
    return filling && refsOf(filling).every(({ step }) => step === startId) ? [[path as Pointer, filling]] : [];
  });
}

/** Finds what was written for a record, and asks about each. */
function toldAbout(draft: WorkflowContent, write: WriteStep, what: Uncovered): LookupStep {
  const known = recognised(write);
  if (known.length === 0)
    throw new NotPossible(
      'What was written can’t be found again by the record alone. Choose a field that records are matched by first.',
    );
  const noun = draft.start.source?.described.singular ?? 'record';
  const there = write.target?.described.singular ?? 'record';
  const happened = what.kind === 'becomes' ? `came to “${what.value}”` : 'was removed';
  return {
    id: 'written',
    kind: 'lookup',
    target: write.target,
    mapping: Object.fromEntries(known),
    ladder: {
      rungs: known.map(([path], at) => ({ id: `by-${at + 1}`, kind: 'exact', fields: [path], isAsked: true })),
      atNone: 'leave_out',
      atUnclear: 'ask',
      says: `The ${noun} ${happened} after this ${there} was written. Correct the ${there} there${/invoice/i.test(there) ? ', or make a credit note,' : ''} and say which one it was.`,
    },
  };
}

/** A draft that corrects what was written: a credit note where the app keeps them, else a change of the same record. */
async function correction(
  services: Services,
  draft: WorkflowContent,
  write: WriteStep,
  what: Uncovered,
): Promise<WorkflowContent> {
  const { source } = draft.start;
  const { target } = write;
  if (!source || !target) return draft;
  const beside = target.path.slice(0, -1);
  const notes = /invoice/i.test(target.described.singular) && what.kind === 'becomes';
  const places = notes
    ? await (await services.connections.connector(target.connection)).places(beside).catch(() => [])
    : [];
  const credit = places.find(({ id, label }) => /credit ?notes?/i.test(`${id} ${label}`));
  if (credit) {
    const end = {
      connection: target.connection,
      path: [...beside, credit.id],
      labels: [...target.labels.slice(0, -1), credit.label],
    };
    const { described: _described, ...from } = source;
    return copyBetween(services, from, end, 'each_new');
  }
  const archived = target.described.fields.find(({ path }) => /archived|inactive|cancelled/i.test(path));
  const change: WriteStep = {
    ...write,
    id: 'write-1',
    mapping: {
      ...Object.fromEntries(recognised(write)),
      ...(archived?.type === 'boolean' && { [archived.path]: { kind: 'fixed' as const, value: 'true' } }),
    },
    suggested: {},
  };
  return { ...emptyContent(draft.name), steps: [change] };
}
