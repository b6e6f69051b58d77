import type { Question } from '@golden/core';
import { SelectField, TextArea, TextField } from '../../parts/Field.tsx';

interface QuestionProps {
  readonly question: Question;
  readonly value: unknown;
  readonly error?: string | undefined;
  readonly onAnswer: (value: string | boolean | string[]) => void;
}

/** The input for an answer; files are asked for by forms only. */
export function QuestionInput({ question, value, error, onAnswer }: QuestionProps) {
  const { label, type, options = [], isRequired, help } = question;
  const shared = { label, required: isRequired, hint: help, error };
  const text = { ...shared, value: String(value ?? ''), onChange: onText(onAnswer) };
  switch (type) {
    case 'boolean':
      return (
        <label className="mb-3 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-pine"
            checked={value === true}
            onChange={({ target }) => onAnswer(target.checked)}
          />
          {label}
          {error && (
            <span role="alert" className="text-sm text-brick">
              {error}
            </span>
          )}
        </label>
      );
    case 'choice':
      return (
        <SelectField
          {...text}
          choices={[{ value: '', label: 'Choose one' }, ...options.map((one) => ({ value: one, label: one }))]}
        />
      );
    case 'choices':
      return <Several {...{ label, options, error }} chosen={Array.isArray(value) ? value : []} onChoose={onAnswer} />;
    case 'long_text':
      return <TextArea rows={4} {...text} />;
    default:
      return <TextField type={inputTypes[type] ?? 'text'} inputMode={modes[type]} {...text} />;
  }
}

const onText =
  (onAnswer: QuestionProps['onAnswer']) =>
  ({ target }: { readonly target: { readonly value: string } }): void =>
    onAnswer(target.value);

const inputTypes: Partial<Record<Question['type'], string>> = { date: 'date', email: 'email', phone: 'tel' };
const modes: Partial<Record<Question['type'], 'decimal' | 'numeric'>> = { decimal: 'decimal', integer: 'numeric' };

interface SeveralProps {
  readonly label: string;
  readonly options: readonly string[];
  readonly chosen: readonly string[];
  readonly error: string | undefined;
  readonly onChoose: (chosen: string[]) => void;
}

function Several({ label, options, chosen, error, onChoose }: SeveralProps) {
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 font-medium">{label}</legend>
      {options.map((option) => (
        <label key={option} className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-pine"
            checked={chosen.includes(option)}
            onChange={({ target }) =>
              onChoose(options.filter((one) => (one === option ? target.checked : chosen.includes(one))))
            }
          />
          {option}
        </label>
      ))}
      {error && (
        <p role="alert" className="text-sm text-brick">
          {error}
        </p>
      )}
    </fieldset>
  );
}
