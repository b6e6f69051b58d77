import { type CopyKind, copyKindLabels, copyKinds } from '@golden/core';
import { useId } from 'react';

interface KindProps {
  readonly kind: CopyKind;
  readonly onChoose: (kind: CopyKind) => void;
  readonly isNarrow?: boolean;
}

/** The kinds of copy, each with what it means. */
export function CopyKindChoice({ kind, onChoose, isNarrow = false }: KindProps) {
  const name = useId();
  return (
    <fieldset className={`grid gap-2 ${isNarrow ? '' : 'lg:grid-cols-3'}`}>
      <legend className="sr-only">Kind of copy</legend>
      {copyKinds.map((one) => (
        <label
          key={one}
          className={`flex items-start gap-2.5 rounded-lg border px-3.5 py-3 ${kind === one ? 'border-pine bg-pine-faint' : 'border-line-1 bg-sheet hover:bg-pine-faint'}`}
        >
          <input
            type="radio"
            name={name}
            checked={kind === one}
            onChange={() => onChoose(one)}
            className="mt-1 accent-pine"
          />
          <span>
            <span className="block text-md font-medium">{copyKindLabels[one].title}</span>
            <span className="text-ink-2">{copyKindLabels[one].means}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}
