import { article, type CopyKind, copyKindLabels, copyKinds } from '@golden/core';
import { useId } from 'react';
import { usePlace } from '../../api/queries.ts';
import type { ChosenPlace } from './chosen-place.ts';

interface KindProps {
  readonly kind: CopyKind;
  readonly onChoose: (kind: CopyKind) => void;
  readonly isNarrow?: boolean;
  /** Where the records go, as far as that is chosen. */
  readonly to?: ChosenPlace | undefined;
}

/** The kinds of copy, each with what it means. */
export function CopyKindChoice({ kind, onChoose, isNarrow = false, to }: KindProps) {
  const name = useId();
  const there = usePlace(to?.connection ?? '', to?.path ?? []).data?.described;
  if (there?.sentTo)
    return (
      <p className="text-ink-2">
        For each new one {article(there.singular)} {there.singular} is sent, once. What has gone out can’t be taken
        back, so nothing is kept in step there.
      </p>
    );
  if (there?.document)
    return (
      <p className="text-ink-2">
        For each new one {article(there.singular)} {there.singular} is made, once. It stays as it was made, so nothing
        is kept in step there.
      </p>
    );
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
