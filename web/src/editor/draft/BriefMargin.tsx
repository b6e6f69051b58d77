import { type Sentence, sentenceText } from '@golden/core';
import { PanelLeftOpen } from 'lucide-react';

interface MarginProps {
  readonly sentences: readonly Sentence[];
  readonly chosen: string;
  /** How many samples reach a sentence; undefined while that is being found out. */
  readonly reached: (id: string) => number | undefined;
  readonly hasProblem: (id: string) => boolean;
  readonly onChoose: (id: string) => void;
  readonly onUnfold: () => void;
}

/** The brief folded to its margin: a number a sentence, all of it said as a hint. */
export function BriefMargin({ sentences, chosen, reached, hasProblem, onChoose, onUnfold }: MarginProps) {
  return (
    <section
      aria-label="Brief"
      className="flex min-h-0 flex-col items-center gap-1 overflow-y-auto border-r border-line-1 py-2.5 narrow:flex-row narrow:border-r-0 narrow:border-b"
    >
      <button
        type="button"
        aria-label="Unfold the brief"
        data-hint="Unfold the brief (B)"
        onClick={onUnfold}
        className="rounded-sm p-1 text-ink-2 hover:bg-pine-faint"
      >
        <PanelLeftOpen size={16} strokeWidth={1.75} />
      </button>
      {sentences.map((sentence) => {
        const text = sentence.name ?? sentenceText(sentence);
        const isChosen = sentence.id === chosen;
        return (
          <button
            key={sentence.id}
            type="button"
            data-sentence={sentence.id}
            aria-current={isChosen ? 'true' : undefined}
            aria-label={text}
            data-hint={text}
            onClick={() => onChoose(sentence.id)}
            className={`h-8 w-9 rounded-md border text-sm ${isChosen ? 'border-line-1 bg-sheet font-semibold text-pine' : 'border-transparent text-ink-2 hover:bg-pine-faint'} ${hasProblem(sentence.id) ? 'text-brick underline decoration-2' : ''} ${sentence.isOff ? 'line-through opacity-70' : ''}`}
          >
            {reached(sentence.id) ?? '…'}
          </button>
        );
      })}
    </section>
  );
}
