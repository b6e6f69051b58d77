import type { FieldOwner, InStepSetting } from '@golden/core';
import { ArrowLeft, ArrowLeftRight, ArrowRight } from 'lucide-react';
import type { InStep } from '../api/queries.ts';
import { Select } from '../parts/Field.tsx';
import { ownerChoices, sideNames } from './words.ts';

interface FieldsProps {
  readonly pair: InStep;
  readonly onChange: (setting: InStepSetting) => void;
}

const cell = 'border-b border-line-2 px-3 py-1.5 align-middle';
const arrows = { both: ArrowLeftRight, there: ArrowRight, here: ArrowLeft } as const;
const arrowWords = { both: 'goes both ways', there: 'only goes there', here: 'only comes from there' } as const;

/** The fields of both sides beside each other, and whose value counts for each. */
export function FieldsInStep({ pair, onChange }: FieldsProps) {
  const { here, there } = sideNames(pair);
  const { setting } = pair;
  const say = (path: string, owner: FieldOwner): void => {
    const { [path]: _before, ...others } = setting.owners;
    onChange({ ...setting, owners: owner === setting.usual ? others : { ...others, [path]: owner } });
  };
  return (
    <div className="overflow-x-auto rounded-md border border-line-1 bg-sheet">
      <table className="w-full min-w-[640px] border-collapse text-left">
        <thead className="text-sm text-ink-2">
          <tr>
            <th className={cell}>{here}</th>
            <th className={cell}>
              <span className="sr-only">Direction</span>
            </th>
            <th className={cell}>{there}</th>
            <th className={cell}>Whose value counts</th>
          </tr>
        </thead>
        <tbody>
          {pair.fields.map((field) => {
            const Arrow = arrows[field.goes];
            return (
              <tr key={`${field.goes} ${field.path}`}>
                <td className={cell}>{field.here.map(({ label }) => label).join(', ') || 'worked out'}</td>
                <td className={cell}>
                  <Arrow size={15} strokeWidth={1.75} className="text-ink-2" aria-label={arrowWords[field.goes]} />
                </td>
                <td className={cell}>{field.there?.label ?? (field.isLookedUp ? 'looked up' : 'worked out')}</td>
                <td className={cell}>
                  <Whose field={field} pair={pair} onSay={(owner) => say(field.path, owner)} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

interface WhoseProps {
  readonly field: InStep['fields'][number];
  readonly pair: InStep;
  readonly onSay: (owner: FieldOwner) => void;
}

function Whose({ field, pair, onSay }: WhoseProps) {
  const { here, there } = sideNames(pair);
  if (field.isConsent)
    return <span className="text-ink-2">a no goes over from either side, and nothing turns it into a yes</span>;
  if (field.goes !== 'both')
    return (
      <span className="text-ink-2">always from {field.goes === 'there' ? here : there}: it only goes this way</span>
    );
  return (
    <Select
      aria-label={`Whose ${field.there?.label ?? field.path} counts`}
      value={field.owner}
      onChange={(event) => onSay(event.target.value as FieldOwner)}
      choices={ownerChoices(pair)}
    />
  );
}
