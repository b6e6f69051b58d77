import {
  type InputHTMLAttributes,
  type ReactNode,
  type SelectHTMLAttributes,
  type TextareaHTMLAttributes,
  useId,
} from 'react';

/** How every input looks. */
export const inputLook =
  'h-[30px] rounded-md border border-line-input bg-raised px-2 text-ink-1 placeholder:text-ink-3';

interface Labelled {
  readonly label: string;
  readonly hint?: ReactNode;
  readonly error?: string | undefined;
}

/** A label with its control, hint and error, tied together for screen readers. */
function Row({ label, hint, error, id, children }: Labelled & { readonly id: string; readonly children: ReactNode }) {
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-1 block font-medium">
        {label}
      </label>
      {children}
      {hint && (
        <p id={`${id}-hint`} className="mt-1 text-sm text-ink-2">
          {hint}
        </p>
      )}
      {error && (
        <p id={`${id}-error`} role="alert" className="mt-1 text-sm text-brick">
          {error}
        </p>
      )}
    </div>
  );
}

/** What a screen reader says with the control: its hint, and what is wrong with it. */
const toldBy = (id: string, hint: ReactNode, error: string | undefined) => ({
  'aria-describedby': [hint && `${id}-hint`, error && `${id}-error`].filter(Boolean).join(' ') || undefined,
  'aria-invalid': error ? true : undefined,
});

/** A text input with its label, hint and error. */
export function TextField({ label, hint, error, ...rest }: Labelled & InputHTMLAttributes<HTMLInputElement>) {
  const id = useId();
  return (
    <Row label={label} hint={hint} error={error} id={id}>
      <input
        id={id}
        className={`${inputLook} w-full aria-invalid:border-brick`}
        {...toldBy(id, hint, error)}
        {...rest}
      />
    </Row>
  );
}

/** A text of several lines with its label and hint. */
export function TextArea({ label, hint, error, ...rest }: Labelled & TextareaHTMLAttributes<HTMLTextAreaElement>) {
  const id = useId();
  return (
    <Row label={label} hint={hint} error={error} id={id}>
      <textarea
        id={id}
        className={`${inputLook} h-auto w-full py-1.5 aria-invalid:border-brick`}
        {...toldBy(id, hint, error)}
        {...rest}
      />
    </Row>
  );
}

interface Choice {
  readonly value: string;
  readonly label: string;
  readonly isOff?: boolean;
}

interface SelectProps extends SelectHTMLAttributes<HTMLSelectElement> {
  readonly choices: readonly Choice[];
}

/** A native list, for a few fixed choices; what is searched is a `Chooser`. */
export function Select({ choices, className = '', ...rest }: SelectProps) {
  return (
    <select className={`${inputLook} ${className}`} {...rest}>
      {choices.map((choice) => (
        <option key={choice.value} value={choice.value} disabled={choice.isOff}>
          {choice.label}
        </option>
      ))}
    </select>
  );
}

/** A native list with its label, hint and error. */
export function SelectField({ label, hint, error, ...rest }: Labelled & SelectProps) {
  const id = useId();
  return (
    <Row label={label} hint={hint} error={error} id={id}>
      <Select id={id} className="w-full aria-invalid:border-brick" {...toldBy(id, hint, error)} {...rest} />
    </Row>
  );
}
