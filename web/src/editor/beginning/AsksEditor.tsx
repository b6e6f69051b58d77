import type { Api } from '@golden/server/api';
import { Plus, X } from 'lucide-react';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';

/** One thing that somebody who begins by hand is asked for. */
export type Ask = NonNullable<Api['GET /api/workflows/:id/asks']['response']['asks']>[number];

const types: readonly { readonly value: Ask['type']; readonly label: string }[] = [
  { value: 'text', label: 'text' },
  { value: 'decimal', label: 'number' },
  { value: 'date', label: 'date' },
  { value: 'boolean', label: 'yes or no' },
  { value: 'choice', label: 'one of a list' },
];

interface EditorProps {
  readonly asks: readonly Ask[];
  readonly onChange: (asks: readonly Ask[]) => void;
}

/** What is asked for: each becomes a field. */
export function AsksEditor({ asks, onChange }: EditorProps) {
  const set = (at: number, next: Partial<Ask>): void =>
    onChange(asks.map((one, index) => (index === at ? { ...one, ...next } : one)));
  return (
    <section aria-label="What they are asked for">
      <h3 className="mb-1 font-medium">What they are asked for</h3>
      {asks.map((ask, at) => (
        // Two of them may have the same name while one is being typed.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <div key={at} className="mb-2 flex flex-wrap items-center gap-2">
          <input
            aria-label={`Question ${at + 1}`}
            placeholder="Name"
            value={ask.label}
            onChange={(event) => set(at, { label: event.target.value })}
            className={`${inputLook} w-[170px]`}
          />
          <Select
            aria-label={`Kind of answer ${at + 1}`}
            value={ask.type}
            onChange={(event) => set(at, { type: event.target.value as Ask['type'] })}
            choices={[...types]}
          />
          <label className="flex items-center gap-1 text-sm">
            <input
              type="checkbox"
              className="accent-pine"
              checked={ask.isRequired}
              onChange={(event) => set(at, { isRequired: event.target.checked })}
            />
            required
          </label>
          <Button
            look="quiet"
            aria-label={`Remove question ${at + 1}`}
            icon={<X size={14} />}
            onClick={() => onChange(asks.toSpliced(at, 1))}
          />
          {ask.type === 'choice' && (
            <input
              aria-label={`Choices of question ${at + 1}, with commas between`}
              placeholder="Choices, with commas between"
              defaultValue={(ask.options ?? []).join(', ')}
              onChange={(event) =>
                set(at, {
                  options: event.target.value
                    .split(',')
                    .map((one) => one.trim())
                    .filter(Boolean),
                })
              }
              className={`${inputLook} w-full`}
            />
          )}
        </div>
      ))}
      <Button
        look="quiet"
        icon={<Plus size={14} />}
        onClick={() => onChange([...asks, { label: '', type: 'text', isRequired: true }])}
      >
        {asks.length === 0 ? 'Ask for something' : 'Another question'}
      </Button>
    </section>
  );
}
