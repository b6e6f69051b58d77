import type { PageBlock } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { useId } from 'react';
import { Button } from '../../../parts/Button.tsx';
import { inputLook, Select } from '../../../parts/Field.tsx';
import type { PageNames } from './names.ts';
import { TextWithValues } from './TextWithValues.tsx';

type Lines = Extract<PageBlock, { kind: 'lines' }>;

/** So many columns fit on a page (the format's own bound). */
const mostColumns = 12;

interface LinesProps {
  readonly block: Lines;
  /** What it is called here, for screen readers. */
  readonly label: string;
  readonly names: PageNames;
  readonly onChange: (block: Lines) => void;
}

/** A table with a row for each line: which list, and what stands in each column. */
export function LinesFields({ block, label, names, onChange }: LinesProps) {
  const lists = useId();
  const { columns } = block;
  const set = (at: number, next: Partial<Lines['columns'][number]>): void =>
    onChange({ ...block, columns: columns.map((one, index) => (index === at ? { ...one, ...next } : one)) });
  const inLine = names.inLine(block.of);
  const hasTotal = columns.some((one) => one.hasTotal);
  return (
    <div className="space-y-2">
      <label className="flex items-center gap-2">
        A row for each of
        <input
          aria-label={`${label}: its list`}
          list={lists}
          value={block.of}
          onChange={({ target }) => onChange({ ...block, of: target.value })}
          className={`${inputLook} min-w-0 flex-1`}
        />
      </label>
      <datalist id={lists}>
        {names.lists.map((one) => (
          <option key={one} value={one} />
        ))}
      </datalist>
      <ol className="space-y-1.5">
        {columns.map((column, at) => (
          // Columns have no names of their own: their places are what they are known by.
          // biome-ignore lint/suspicious/noArrayIndexKey: see above
          <li key={at} className="border-l-2 border-line-1 pl-2">
            <div className="flex items-start gap-1.5">
              <input
                aria-label={`${label}: head of column ${at + 1}`}
                placeholder="Head"
                value={column.label}
                onChange={({ target }) => set(at, { label: target.value })}
                className={`${inputLook} w-[110px] shrink-0`}
              />
              <TextWithValues
                label={`${label}: column ${at + 1}`}
                placeholder="{quantity}"
                value={column.text}
                names={inLine}
                onChange={(text) => set(at, { text })}
              />
              <Button
                look="quiet"
                aria-label={`${label}: remove column ${at + 1}`}
                icon={<X size={14} />}
                disabled={columns.length === 1}
                onClick={() => onChange({ ...block, columns: columns.toSpliced(at, 1) })}
              />
            </div>
            <p className="mt-1 flex gap-4 text-sm">
              <Select
                aria-label={`${label}: column ${at + 1} holds`}
                className="h-[26px] text-sm"
                value={column.isMoney ? 'money' : column.isAmount || column.hasTotal ? 'number' : 'text'}
                onChange={({ target }) => set(at, holding(target.value))}
                choices={[
                  { value: 'text', label: 'texts' },
                  { value: 'number', label: 'numbers' },
                  { value: 'money', label: 'money' },
                ]}
              />
              <Check
                label="with a total"
                about={`${label}: column ${at + 1} has a total`}
                isOn={column.hasTotal === true}
                isOff={!column.isMoney && !column.isAmount && !column.hasTotal}
                onChange={(isOn) => set(at, { hasTotal: isOn || undefined })}
              />
            </p>
          </li>
        ))}
      </ol>
      <div className="flex items-center gap-3">
        <Button
          look="quiet"
          icon={<Plus size={14} />}
          disabled={columns.length >= mostColumns}
          onClick={() => onChange({ ...block, columns: [...columns, { label: '', text: '' }] })}
        >
          Another column
        </Button>
        {hasTotal && (
          <input
            aria-label={`${label}: what the total is called`}
            placeholder="Total"
            value={block.totalLabel ?? ''}
            onChange={({ target }) => onChange({ ...block, totalLabel: target.value || undefined })}
            className={`${inputLook} w-[130px]`}
          />
        )}
      </div>
    </div>
  );
}

/** What a column holds; only numbers and money have totals. */
const holding = (what: string): Partial<Lines['columns'][number]> => ({
  isAmount: what === 'number' || undefined,
  isMoney: what === 'money' || undefined,
  ...(what === 'text' && { hasTotal: undefined }),
});

interface CheckProps {
  readonly label: string;
  readonly about: string;
  readonly isOn: boolean;
  readonly isOff?: boolean;
  readonly onChange: (isOn: boolean) => void;
}

function Check({ label, about, isOn, isOff = false, onChange }: CheckProps) {
  return (
    <label className="flex items-center gap-1.5">
      <input
        type="checkbox"
        aria-label={about}
        className="accent-pine"
        checked={isOn}
        disabled={isOff}
        onChange={({ target }) => onChange(target.checked)}
      />
      {label}
    </label>
  );
}
