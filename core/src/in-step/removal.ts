import { refsOf } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { writesOf } from './fields.ts';
import type { Legs } from './legs.ts';
import type { InStepSetting } from './setting.ts';

/**
 * The workflow that carries over what is removed on one side of a pair: the other record is marked as retired, or a
 * person is asked first. Undefined where nothing becomes of it.
 *
 * @param side - where records are removed
 * @throws NotAPair
 */
export function removalOf(legs: Legs, setting: InStepSetting, side: 'here' | 'there'): WorkflowContent | undefined {
  const removal = setting.removed[side];
  if (removal.kind === 'nothing') return undefined;
  const content = side === 'here' ? legs.there : legs.here;
  const writes = writesOf(legs);
  const own = side === 'here' ? writes.there : writes.here;
  const { source, trigger, identity, also } = content.start;
  const { rungs, mapping } = recognised(own);
  const write: WriteStep = {
    id: 'retire',
    kind: 'write',
    name: removal.kind === 'ask' ? 'Removed there: ask' : 'Removed there',
    target: own.target,
    mode: 'create_or_update',
    ladder: { rungs, atNone: 'leave_out', atUnclear: 'ask', atGone: 'leave', remembers: 'start' },
    policies: {
      ...Object.fromEntries(Object.keys(mapping).map((path) => [path, 'never' as const])),
      [removal.field]: removal.kind === 'ask' ? 'ask' : 'always',
    },
    mapping: { ...mapping, [removal.field]: { kind: 'fixed', value: removal.value } },
  };
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
    steps: [write],
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
