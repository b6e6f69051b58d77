import { article, type CopyKind, copyKindLabels, copyKinds } from '@golden/core';
import { useId } from 'react';
import { usePlace } from '../../api/queries.ts';
import type { ChosenPlace } from './chosen-place.ts';

/** A kind of copy, or both ways: then there is a workflow for each direction. */
export type ChosenKind = CopyKind | 'both_ways';

const bothWays = {
  title: 'In step, both ways',
  means:
    'What is added or changed on either side goes to the other. For two apps that people work in at the same time.',
};

interface KindProps<K extends ChosenKind> {
  readonly kind: K;
  readonly onChoose: (kind: K) => void;
  /** The kinds to choose from; all that lead one way when absent. */
  readonly kinds?: readonly K[];
  readonly isNarrow?: boolean;
  /** Where the records go, as far as that is chosen. */
  readonly to?: ChosenPlace | undefined;
}

/** The kinds of copy, each with what it means. */
export function CopyKindChoice<K extends ChosenKind>({
  kind,
  onChoose,
  kinds = copyKinds as readonly ChosenKind[] as readonly K[],
  isNarrow = false,
  to,
}: KindProps<K>) {
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
    <fieldset className={`grid gap-2 ${isNarrow ? '' : kinds.length > 3 ? 'lg:grid-cols-4' : 'lg:grid-cols-3'}`}>
      <legend className="sr-only">Kind of copy</legend>
      {kinds.map((one) => (
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
            <span className="block text-md font-medium">{labelsOf(one).title}</span>
            <span className="text-ink-2">{labelsOf(one).means}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}

const labelsOf = (kind: ChosenKind) => (kind === 'both_ways' ? bothWays : copyKindLabels[kind]);
