import { refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { writesOf } from './fields.ts';
import type { Legs } from './legs.ts';
import { type InStepSetting, isForGood, type Removal } from './setting.ts';

/**
 * The workflow that carries over what is removed on one side of a pair: the other record is marked as retired or removed
 * as well, at once or after a person was asked. Undefined where nothing becomes of it.
 *
 * @param side - where records are removed
 * @throws NotAPair
 */
export function removalOf(
  legs: Legs,
  setting: InStepSetting,
  side: 'here' | 'there',
  pair: string,
): WorkflowContent | undefined {
  const removal = setting.removed[side];
  if (removal.kind === 'nothing') return undefined;
  const content = side === 'here' ? legs.there : legs.here;
  const writes = writesOf(legs);
  const own = side === 'here' ? writes.there : writes.here;
  const { source, trigger, identity, also } = content.start;
  return {
    schema: 1,
    name: `${content.name.slice(0, 110)}, removed`,
    ...(content.zone !== undefined && { zone: content.zone }),
    start: {
      source,
      on: 'removed',
      trigger,
      fromWhen: { kind: 'now' },
      ...(identity !== undefined && { identity }),
      ...(also && { also }),
    },
    steps: [isForGood(removal) ? removing(own, removal) : retiring(own, removal)],
    ...(isForGood(removal) && { removalOf: pair }),
  };
}

/** Whoever it was in step with is removed: only who is remembered counts for that, never a likeness. */
const removing = ({ target }: WriteStep, { kind }: Removal): WriteStep => ({
  id: 'remove',
  kind: 'write',
  name: kind === 'remove' ? 'Remove it too' : 'Remove it too: ask',
  target,
  mode: 'create_or_update',
  removes: kind === 'remove' ? 'at_once' : 'asks',
  ladder: { rungs: [], atNone: 'leave_out', atUnclear: 'ask', atGone: 'leave', remembers: 'start' },
  mapping: {},
});

function retiring(own: WriteStep, { kind, field, value }: Extract<Removal, { field: Pointer }>): WriteStep {
  const { rungs, mapping } = recognised(own);
  return {
    id: 'retire',
    kind: 'write',
    name: kind === 'ask' ? 'Removed there: ask' : 'Removed there',
    target: own.target,
    mode: 'create_or_update',
    ladder: { rungs, atNone: 'leave_out', atUnclear: 'ask', atGone: 'leave', remembers: 'start' },
    policies: {
      ...Object.fromEntries(Object.keys(mapping).map((path) => [path, 'never' as const])),
      [field]: kind === 'ask' ? 'ask' : 'always',
    },
    mapping: { ...mapping, [field]: { kind: 'fixed', value } },
  };
}

/** The ways that go by the record alone, with what they compare. */
function recognised({
  ladder,
  mapping,
}: WriteStep): Pick<WriteStep, 'mapping'> & { rungs: NonNullable<WriteStep['ladder']>['rungs'] } {
  const isPlain = (path: Pointer): boolean => {
    const filling = mapping[path];
    return filling !== undefined && refsOf(filling).every(({ step }) => step === startId);
  };
  const rungs = (ladder?.rungs ?? []).filter((rung) => rung.kind === 'exact' && rung.fields.every(isPlain));
  const paths = new Set(rungs.flatMap((rung) => (rung.kind === 'exact' ? rung.fields : [])));
  return { rungs, mapping: Object.fromEntries(Object.entries(mapping).filter(([path]) => paths.has(path))) };
}
