import { type Filling, refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { Ladder } from '../matching/lookup/ladder.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { type Field, fieldAt } from '../values/field.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { isWrite, NotAPair } from './legs.ts';
import { distinctBack } from './options-back.ts';

/**
 * The second direction as it is proposed from the first: what is a plain copy there is a plain copy back, options are
 * translated back where that is clear, and records are recognised by the same fields.
 *
 * @param drafted - a copy the other way as it would be proposed by itself: its name, its start, and fillings for what
 *   doesn't follow from the first direction
 * @throws NotAPair where nothing can be written into the first direction's source
 */
export function proposeBack(first: WorkflowContent, drafted: WorkflowContent): WorkflowContent {
  const there = first.steps.find(isWrite);
  const own = drafted.steps.find(isWrite);
  const { source } = first.start;
  if (!there?.target || !source) throw new NotAPair('The first direction has no place to write into yet.');
  if (!own || !source.described.can.update)
    throw new NotAPair(`Records of ${source.labels.join(' → ')} can’t be changed, so nothing can come back to it.`);
  const back = mappingBack(there, source.described.fields);
  const follows = new Set(Object.keys(there.mapping));
  // What both directions have a say in follows from the first; the rest is as it would be proposed.
  const required = new Set(source.described.fields.flatMap((field) => (field.required ? [field.path] : [])));
  // What is looked up elsewhere isn't kept in step; only what a new record can't be without is proposed so.
  const isOwn = (path: Pointer, filling: Filling): boolean =>
    required.has(path) || refsOf(filling).every(({ step }) => step === startId);
  const proposed = Object.entries(own.mapping).filter(
    ([path, filling]) =>
      back[path] === undefined && isOwn(path, filling) && !startPathsOf(filling).some((from) => follows.has(from)),
  );
  const { key: _key, suggested: _suggested, ladder: _ladder, ...rest } = own;
  const write: WriteStep = {
    ...rest,
    mode: 'create_or_update',
    ladder: ladderBack(there, back, source.described.findBy) ?? own.ladder ?? emptyLadder,
    mapping: { ...Object.fromEntries(proposed), ...back },
  };
  const used = new Set(Object.values(write.mapping).flatMap((filling) => refsOf(filling).map(({ step }) => step)));
  const steps = drafted.steps.filter((step) => step.kind !== 'lookup' || used.has(step.id));
  return { ...drafted, steps: steps.map((step) => (step.id === own.id ? write : step)) };
}

const emptyLadder: Ladder = { rungs: [], atNone: 'create', atUnclear: 'ask' };

const startPathsOf = (filling: Filling): Pointer[] =>
  filling.kind === 'field' || filling.kind === 'options' ? [filling.ref.path] : [];

/** The fields here that get a plain value back. */
function mappingBack({ mapping, target }: WriteStep, fields: readonly Field[]): Record<Pointer, Filling> {
  const back: Record<Pointer, Filling> = {};
  for (const [path, filling] of Object.entries(mapping)) {
    if (filling.kind !== 'field' && filling.kind !== 'options') continue;
    const { ref } = filling;
    const field = fieldAt(fields, ref.path);
    const isReadable = fieldAt(target?.described.fields ?? [], path) !== undefined;
    if (ref.step !== startId || !field || field.readOnly || !isReadable || back[ref.path]) continue;
    const from = { step: startId, path };
    if (filling.kind === 'field') back[ref.path] = { kind: 'field', ref: from, tidies: [] };
    else {
      const table = distinctBack(filling.table);
      if (table) back[ref.path] = { kind: 'options', ref: from, table, otherwise: filling.otherwise };
    }
  }
  return back;
}

/** The same ways to recognise a record, by the fields here. */
function ladderBack(
  { ladder, key }: WriteStep,
  back: Readonly<Record<Pointer, Filling>>,
  findBy: readonly Pointer[] | undefined,
): Ladder | undefined {
  const hereOf = (there: Pointer): Pointer | undefined =>
    Object.entries(back).find(([, filling]) => startPathsOf(filling).includes(there))?.[0];
  const ways = ladder
    ? ladder.rungs.flatMap((rung) => (rung.kind === 'exact' ? [rung.fields] : []))
    : key === undefined
      ? []
      : [[key]];
  const rungs = ways.flatMap((fields, at) => {
    const here = fields.map(hereOf);
    const isKnown = here.every((path): path is Pointer => path !== undefined && (!findBy || findBy.includes(path)));
    return isKnown && here.length > 0 ? [{ id: `by-${at + 1}`, kind: 'exact' as const, fields: here }] : [];
  });
  return rungs.length > 0 ? { rungs, atNone: 'create', atUnclear: 'ask' } : undefined;
}
