import { useId, useRef } from 'react';
import { inputLook, Select } from '../../../parts/Field.tsx';
import { withValue } from './blocks.ts';

interface TextProps {
  readonly label: string;
  readonly value: string;
  /** The names of values that can be put in. */
  readonly names: readonly string[];
  readonly onChange: (text: string) => void;
  /** Lines that it shows at least. */
  readonly rows?: number;
  readonly placeholder?: string;
  /** Labelled on the screen too; otherwise for screen readers only. */
  readonly isLabelShown?: boolean;
}

/** A text in which values stand in braces, with a list to put one in where the cursor stands. */
export function TextWithValues({ label, value, names, onChange, rows = 1, placeholder, isLabelShown }: TextProps) {
  const id = useId();
  const box = useRef<HTMLTextAreaElement>(null);
  const put = (name: string): void => {
    if (name === '') return;
    const next = withValue(value, box.current?.selectionStart ?? value.length, name);
    onChange(next.text);
    requestAnimationFrame(() => {
      box.current?.focus();
      box.current?.setSelectionRange(next.at, next.at);
    });
  };
  return (
    <div className="flex min-w-0 flex-1 flex-col gap-1">
      <label htmlFor={id} className={isLabelShown ? 'font-medium' : 'sr-only'}>
        {label}
      </label>
      <div className="flex items-start gap-1.5">
        <textarea
          id={id}
          ref={box}
          rows={Math.max(rows, value.split('\n').length)}
          value={value}
          placeholder={placeholder}
          onChange={({ target }) => onChange(target.value)}
          className={`${inputLook} h-auto min-w-0 flex-1 resize-y py-1`}
        />
        {names.length > 0 && (
          <Select
            aria-label={`Put a value into ${label}`}
            className="w-[84px] shrink-0 text-ink-2"
            value=""
            onChange={({ target }) => put(target.value)}
            choices={[{ value: '', label: 'value…' }, ...names.map((name) => ({ value: name, label: name }))]}
          />
        )}
      </div>
    </div>
  );
}
