import { type Trigger, type TriggerKind, triggerKinds } from '@golden/core';
import { Select } from '../../parts/Field.tsx';
import { triggerViewOf, triggerViews } from '../../starts/registry.ts';

interface ChoiceProps {
  readonly trigger: Trigger;
  readonly onChange: (trigger: Trigger) => void;
  /** Kinds that aren't offered here. */
  readonly without?: readonly TriggerKind[];
}

/** When the source is looked at: the kind, and what is set of it. */
export function TriggerChoice({ trigger, onChange, without = [] }: ChoiceProps) {
  const { Setting } = triggerViewOf(trigger);
  const kinds = (Object.keys(triggerViews) as TriggerKind[]).filter(
    (kind) => kind === trigger.kind || (triggerViews[kind].isForListed && !without.includes(kind)),
  );
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Select
        aria-label="When it is checked"
        value={trigger.kind}
        onChange={(event) => onChange(triggerKinds[event.target.value as TriggerKind].make())}
        choices={kinds.map((kind) => ({ value: kind, label: triggerViews[kind].label }))}
      />
      <Setting trigger={trigger} onChange={onChange} />
    </div>
  );
}
