import { everyLabel } from '@golden/core';
import { Select } from '../../parts/Field.tsx';
import type { SettingProps, TriggerView } from '../view.ts';

const intervals = [1, 5, 15, 30, 60, 240, 1440];

/** A start that asks again and again. */
export const every: TriggerView<'every'> = { label: 'every few minutes or hours', isForListed: true, Setting };

function Setting({ trigger, onChange }: SettingProps<'every'>) {
  const offered = [...new Set([...intervals, trigger.minutes])].sort((one, other) => one - other);
  return (
    <Select
      aria-label="How often"
      value={String(trigger.minutes)}
      onChange={(changed) => onChange({ ...trigger, minutes: Number(changed.target.value) })}
      choices={offered.map((minutes) => ({ value: String(minutes), label: everyLabel(minutes) }))}
    />
  );
}
