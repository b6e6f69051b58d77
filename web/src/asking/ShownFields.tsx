import { type Pointer, readableValue, type ShownField, type ShownWrite, toText } from '@golden/core';
import { inputLook, Select } from '../parts/Field.tsx';

interface ShownProps {
  readonly shown: ShownWrite;
  /** What was typed into it, by path; nothing can be changed where it is absent. */
  readonly typed?: Readonly<Record<Pointer, string>>;
  readonly problems?: Readonly<Record<Pointer, string>>;
  readonly onType?: (path: Pointer, value: string) => void;
  /** Said before the label of each input. */
  readonly of?: string;
}

/** What a write would do, field by field: what stands there, and what will. */
export function ShownFields({ shown, typed, problems = {}, onType, of = '' }: ShownProps) {
  const isNew = shown.kind === 'create';
  return (
    <table className="sheet w-full table-fixed">
      <caption className="pb-1.5 text-left text-sm text-ink-2">
        {isNew ? `A new ${shown.singular}` : `A change of this ${shown.singular}`} in {shown.place}
      </caption>
      <thead>
        <tr>
          <th scope="col" className="w-[36%]">
            Field
          </th>
          {!isNew && (
            <th scope="col" className="w-[30%]">
              Now
            </th>
          )}
          <th scope="col">{isNew ? 'Value' : 'Will be'}</th>
        </tr>
      </thead>
      <tbody>
        {shown.fields.map((field) => (
          <tr key={field.path}>
            <th scope="row" className="text-left font-medium break-words whitespace-normal">
              {field.label}
            </th>
            {!isNew && <td className="text-ink-2">{readableValue(field.before ?? null) || 'empty'}</td>}
            <td>
              {onType && field.canChange ? (
                <>
                  <ChangeInput
                    field={field}
                    label={`${of}${field.label}`}
                    value={typed?.[field.path] ?? toText(field.after)}
                    isBad={problems[field.path] !== undefined}
                    onType={(value) => onType(field.path, value)}
                  />
                  {problems[field.path] && (
                    <p role="alert" className="mt-0.5 text-sm text-brick">
                      {problems[field.path]}
                    </p>
                  )}
                </>
              ) : (
                <span className="whitespace-pre-wrap">{readableValue(field.after) || 'empty'}</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface ChangeProps {
  readonly field: ShownField;
  readonly label: string;
  readonly value: string;
  readonly isBad: boolean;
  readonly onType: (value: string) => void;
}

/** The input in which a value is changed before it is approved. */
export function ChangeInput({ field: { type, options, isLong }, label, value, isBad, onType }: ChangeProps) {
  const choices = options ?? (type === 'boolean' ? yesNo : undefined);
  const shared = { 'aria-label': label, 'aria-invalid': isBad || undefined, value };
  if (choices && (value === '' || choices.some((one) => one.value === value)))
    return (
      <Select
        {...shared}
        className="w-full aria-invalid:border-brick"
        onChange={({ target }) => onType(target.value)}
        choices={[{ value: '', label: '' }, ...choices]}
      />
    );
  if (isLong || value.includes('\n'))
    return (
      <textarea
        {...shared}
        rows={5}
        className={`${inputLook} h-auto w-full py-1.5 aria-invalid:border-brick`}
        onChange={({ target }) => onType(target.value)}
      />
    );
  return (
    <input
      {...shared}
      className={`${inputLook} w-full aria-invalid:border-brick`}
      onChange={({ target }) => onType(target.value)}
    />
  );
}

const yesNo = [
  { value: 'true', label: 'yes' },
  { value: 'false', label: 'no' },
];
