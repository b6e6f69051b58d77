import type { Field, FieldType } from '@golden/core';
import { Plus, Trash2 } from 'lucide-react';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';

/** The kinds of value that can be asked for, as people call them. */
const types: readonly { readonly value: FieldType; readonly label: string }[] = [
  { value: 'text', label: 'text' },
  { value: 'email', label: 'e-mail address' },
  { value: 'phone', label: 'telephone number' },
  { value: 'integer', label: 'whole number' },
  { value: 'decimal', label: 'number' },
  { value: 'money', label: 'amount of money' },
  { value: 'date', label: 'date' },
  { value: 'instant', label: 'date and time' },
  { value: 'boolean', label: 'yes or no' },
  { value: 'url', label: 'web address' },
  { value: 'id', label: 'id' },
];

interface NeededProps {
  readonly fields: readonly Field[];
  readonly onChange: (fields: readonly Field[]) => void;
}

/** Which fields a workflow needs of whatever is handed over to it. */
export function NeededFields({ fields, onChange }: NeededProps) {
  const put = (at: number, change: Partial<Field>): void =>
    onChange(fields.map((one, index) => (index === at ? { ...one, ...change } : one)));
  return (
    <div className="space-y-1.5">
      {fields.map((field, at) => (
        // Names change while they are typed.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <div key={at} className="flex flex-wrap items-center gap-2">
          <input
            aria-label={`Name of field ${at + 1}`}
            value={field.label}
            maxLength={100}
            placeholder="E-mail"
            className={`${inputLook} w-[190px]`}
            onChange={(event) => put(at, { label: event.target.value })}
          />
          <Select
            aria-label={`Kind of ${field.label || `field ${at + 1}`}`}
            value={field.type}
            onChange={(event) => put(at, { type: event.target.value as FieldType })}
            choices={types.some(({ value }) => value === field.type) ? [...types] : [...types, other(field.type)]}
          />
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-pine"
              checked={field.required === true}
              onChange={(event) => put(at, { required: event.target.checked || undefined })}
            />
            required
          </label>
          <Button
            look="quiet"
            aria-label={`Remove ${field.label || `field ${at + 1}`}`}
            icon={<Trash2 size={14} strokeWidth={1.75} />}
            onClick={() => onChange(fields.filter((_, index) => index !== at))}
          />
        </div>
      ))}
      <Button
        look="quiet"
        icon={<Plus size={14} strokeWidth={1.75} />}
        onClick={() => onChange([...fields, { path: '', label: '', type: 'text' }])}
      >
        Add a field
      </Button>
    </div>
  );
}

const other = (value: FieldType) => ({ value, label: value });

/** The fields that have a name: the others are not meant yet. */
export const named = (fields: readonly Field[]): Field[] => fields.filter(({ label }) => label.trim() !== '');
