import { type Duration, unitText, waitUnits } from '@golden/core';
import { inputLook, Select } from '../../parts/Field.tsx';

interface AmountProps {
  readonly value: Duration;
  readonly onChange: (value: Duration) => void;
  /** Said before the labels of its two inputs, where there are others. */
  readonly of?: string;
}

/** How long: a number and what it is counted in. */
export function Amount({ value, onChange, of }: AmountProps) {
  return (
    <>
      <input
        type="number"
        aria-label={of ? `${of}: how long` : 'How long'}
        min={0}
        max={10_000}
        value={value.amount}
        onChange={({ target }) => {
          const amount = target.valueAsNumber;
          if (amount >= 0 && amount <= 10_000) onChange({ ...value, amount });
        }}
        className={`${inputLook} w-[76px] tabular-nums`}
      />
      <Select
        aria-label={of ? `${of}: unit` : 'Unit'}
        value={value.unit}
        onChange={({ target }) => onChange({ ...value, unit: target.value as Duration['unit'] })}
        choices={waitUnits.map((unit) => ({ value: unit, label: unitText(unit) }))}
      />
    </>
  );
}
