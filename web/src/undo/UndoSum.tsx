import { type UndoKind, undoKinds } from '@golden/core';
import { Fragment } from 'react';
import type { Undo } from '../api/queries.ts';
import { Figure, Sign } from '../parts/Figure.tsx';
import { doneLooks, leftLooks, undoLooks } from './words.ts';

interface SumProps {
  readonly undo: Undo;
  readonly kind: UndoKind | undefined;
  readonly state: 'done' | 'stays' | 'looked' | undefined;
  readonly onKind: (kind: UndoKind | undefined) => void;
  readonly onState: (state: 'done' | 'stays' | 'looked' | undefined) => void;
}

/** The sum that must add up: the records of the run, and what becomes of each of them. */
export function UndoSum({ undo, kind, state, onKind, onState }: SumProps) {
  const isBegun = undo.startedAt !== null;
  const parts = isBegun
    ? [
        ...(['done', 'stays'] as const).map((name) => ({
          name,
          value: undo[name],
          look: doneLooks[name],
          isChosen: state === name,
          choose: () => onState(state === name ? undefined : name),
        })),
        { name: 'chosen', value: undo.chosen, look: leftLooks.chosen, isChosen: false, choose: undefined },
        {
          name: 'looked',
          value: undo.looked,
          look: leftLooks.looked,
          isChosen: state === 'looked',
          choose: () => onState(state === 'looked' ? undefined : 'looked'),
        },
      ]
    : undoKinds.map((name) => ({
        name,
        value: undo.kinds[name],
        look: undoLooks[name],
        isChosen: kind === name,
        choose: () => onKind(kind === name ? undefined : name),
      }));
  return (
    <section
      aria-label="What becomes of the run"
      className="flex flex-wrap items-stretch overflow-hidden rounded-lg border border-line-1 bg-sheet"
    >
      <Figure value={undo.total} label={undo.total === 1 ? 'record of the run' : 'records of the run'} />
      <Sign>=</Sign>
      {parts
        .filter(({ value, name }) => value > 0 || name === 'back' || name === 'done')
        .map(({ name, value, look, isChosen, choose }, at) => {
          const Icon = look.icon;
          return (
            <Fragment key={name}>
              {at > 0 && <Sign>+</Sign>}
              <Figure
                value={value}
                label={
                  <span className={`inline-flex items-center gap-1.5 ${look.colour}`}>
                    <Icon size={14} strokeWidth={1.75} aria-hidden="true" />
                    {value === 1 ? look.word : (look.several ?? look.word)}
                  </span>
                }
                isChosen={isChosen}
                onChoose={choose}
              />
            </Fragment>
          );
        })}
    </section>
  );
}
