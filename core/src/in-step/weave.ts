import type { Filling } from '../mapping/filling.ts';
import { mapRefs, refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { Ladder } from '../matching/lookup/ladder.ts';
import type { FieldPolicy } from '../run/overwrite.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { fieldAt } from '../values/field.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { isConsentField } from './consents.ts';
import { fieldsInStep, writesOf } from './fields.ts';
import { backId, type Legs, NotAPair } from './legs.ts';
import { type FieldOwner, firstOfOwner, type InStepSetting, policyOfOwner } from './setting.ts';

/**
 * The two directions as they run: what each writes into the other place by the rules of the pair, and after it the
 * sentence that brings back what changed there, which follows from the other direction's mapping.
 *
 * Law: woven again by the same setting, nothing changes.
 * @throws NotAPair where they don't lead from one place to the other and back
 */
export function weave(legs: Legs, setting: InStepSetting, pair: string): Legs {
  const writes = writesOf(legs);
  const [here, there] = [legs.there.start.source, legs.here.start.source];
  if (!here || !there) throw new NotAPair('Each direction needs a place where its records come from.');
  if (!isSamePlace(here, writes.here.target) || !isSamePlace(there, writes.there.target))
    throw new NotAPair('The two directions don’t lead from one place to the other and back.');
  for (const { start } of [legs.there, legs.here]) expectReadAgain(start);
  const owners = ownersOf(legs, setting);
  return {
    there: leg(legs.there, 'there', writes.there, writes.here, owners.there, setting, pair),
    here: leg(legs.here, 'here', writes.here, writes.there, owners.here, setting, pair),
  };
}

const isSamePlace = (
  one: { readonly connection: string; readonly path: readonly string[] },
  other: { readonly connection: string; readonly path: readonly string[] } | null,
): boolean =>
  other !== null && one.connection === other.connection && JSON.stringify(one.path) === JSON.stringify(other.path);

/** Each record has to be read again by its id. @throws NotAPair where it can't */
function expectReadAgain({ source, identity, also }: WorkflowContent['start']): void {
  const hasIds = source?.described.fields.some(({ type, readOnly }) => type === 'id' && readOnly === true) === true;
  if (hasIds && identity === undefined && !also) return;
  const where = source?.labels.join(' → ') ?? '';
  throw new NotAPair(
    `${where} can’t be kept in step both ways: its ${source?.described.plural ?? 'records'} have no ids of their own, by which each is read again.`,
  );
}

type Owners = Readonly<Record<Pointer, FieldOwner>>;

/** Whose each field is, by its path there and by its path here. */
function ownersOf(legs: Legs, setting: InStepSetting): { readonly there: Owners; readonly here: Owners } {
  const fields = fieldsInStep(legs, setting);
  const there = Object.fromEntries(
    fields.flatMap((one) => (one.there && one.goes !== 'here' ? [[one.there.path, one.owner]] : [])),
  );
  const here: Record<Pointer, FieldOwner> = {};
  for (const one of fields)
    for (const { path } of one.goes === 'there' ? [] : one.here) {
      // Where a field here is made of several there that aren't owned alike, a person says.
      here[path] = here[path] === undefined || here[path] === one.owner ? one.owner : 'ask';
    }
  return { there, here };
}

function leg(
  content: WorkflowContent,
  side: 'there' | 'here',
  own: WriteStep,
  other: WriteStep,
  owners: Owners,
  setting: InStepSetting,
  pair: string,
): WorkflowContent {
  const { key: _key, otherwise: _otherwise, empties: _empties, ...rest } = own;
  const write: WriteStep = {
    ...rest,
    mode: 'create_or_update',
    ladder: ladderOf(own, setting.removed[side].kind),
    policies: policies(side, own, owners, setting.emptied),
    firstDifference: firstOfOwner[side][setting.first],
  };
  const { takesOwn: _own, takes: _takes, ...start } = content.start;
  return {
    ...content,
    start: { ...start, on: 'added_or_changed' },
    steps: [
      ...content.steps.filter(({ id }) => id !== backId).map((step) => (step.id === own.id ? write : step)),
      bringingBack(content, own, other),
    ],
    inStep: { pair, step: own.id, back: backId, emptied: setting.emptied },
  };
}

/**
 * Consents go by their own law: what changed is written, and a no stays. Where what is empty is filled again, that is so
 * for a field of the other side too.
 */
function policies(
  side: 'there' | 'here',
  { mapping, target }: WriteStep,
  owners: Owners,
  emptied: InStepSetting['emptied'],
): Record<Pointer, FieldPolicy> {
  const policyFor = (path: Pointer): FieldPolicy => {
    const field = fieldAt(target?.described.fields ?? [], path);
    if (field && isConsentField(field)) return 'changed';
    const policy = policyOfOwner[side][owners[path] ?? 'ask'];
    return policy === 'never' && emptied === 'refills' ? 'if_empty' : policy;
  };
  return Object.fromEntries(Object.keys(mapping).map((path) => [path, policyFor(path)]));
}

/** A pair is remembered, and what is gone isn't made again unless somebody says so. */
function ladderOf({ ladder, key, target }: WriteStep, removal: InStepSetting['removed']['here']['kind']): Ladder {
  const findBy = target?.described.findBy;
  const known: Ladder = ladder ?? {
    rungs:
      key !== undefined && (!findBy || findBy.includes(key)) ? [{ id: 'by-key', kind: 'exact', fields: [key] }] : [],
    atNone: 'create',
    atUnclear: 'ask',
  };
  const { atGone: _gone, ...ways } = known;
  return { ...ways, remembers: 'start', ...(removal !== 'ask' && { atGone: 'leave' as const }) };
}

/** The sentence that brings back: the other direction's mapping, of what was just found or written there. */
function bringingBack({ start }: WorkflowContent, own: WriteStep, other: WriteStep): WriteStep {
  const plain = Object.entries(other.mapping).filter(([, filling]) => isPlain(filling));
  return {
    id: backId,
    kind: 'write',
    name: 'What changed there',
    target: start.source ? { ...start.source, described: other.target?.described ?? start.source.described } : null,
    mode: 'create_or_update',
    ladder: { rungs: [], atNone: 'leave_out', atUnclear: 'ask', remembers: 'nothing' },
    mapping: Object.fromEntries(
      plain.map(([path, filling]) => [
        path,
        mapRefs(filling, (ref) => (ref.step === startId ? { ...ref, step: own.id } : ref)),
      ]),
    ),
  };
}

/** Made of nothing but the record itself: another step's results aren't known in the other direction. */
const isPlain = (filling: Filling): boolean => {
  const refs = refsOf(filling);
  return refs.length > 0 && refs.every(({ step }) => step === startId);
};

/** A direction without the pair that it belongs to, as an ordinary workflow. */
export function unwoven(content: WorkflowContent): WorkflowContent {
  const { inStep, ...rest } = content;
  return inStep ? { ...rest, steps: rest.steps.filter(({ id }) => id !== inStep.back) } : rest;
}
