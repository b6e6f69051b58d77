import { usuallySure } from '@golden/core';
import { useId } from 'react';
import { percentText } from '../../parts/formats.ts';
import { askLevels, levelOf } from './sureness.ts';

interface AskProps {
  readonly sure: number | undefined;
  readonly onChange: (sure: number) => void;
}

/** How often a person is asked about a match, in place of a number to set. */
export function AskChoice({ sure, onChange }: AskProps) {
  const name = useId();
  const level = levelOf(sure);
  return (
    <fieldset className="mt-2">
      <legend className="text-ink-2">Match automatically from {percentText(sure ?? usuallySure)}</legend>
      <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
        {askLevels.map((one) => (
          <label key={one.name} className="flex items-center gap-1.5">
            <input
              type="radio"
              name={name}
              checked={level === one.name}
              onChange={() => onChange(one.sure)}
              className="accent-pine"
            />
            {one.label}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
