import type { Phrase, ReadinessProblem, Sentence, StepResult } from '@golden/core';
import { startId } from '@golden/core';
import { CircleAlert, EllipsisVertical } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { OutcomeMark, writeLooks } from '../parts/OutcomeMark.tsx';
import { useEditor } from './context.tsx';
import { withoutStep, withStart, withStep } from './edits.ts';

interface SentenceProps {
  readonly sentence: Sentence;
  readonly isChosen: boolean;
  /** How many samples reach it. */
  readonly reached: number;
  readonly results: readonly (StepResult | undefined)[];
  readonly problems: readonly ReadinessProblem[];
  readonly onChoose: () => void;
  readonly onRemoved: () => void;
}

const phraseLooks: Record<Phrase['kind'], string> = {
  words: '',
  strong: 'font-semibold',
  setting: 'underlined',
  missing: 'rounded-sm bg-brass-tint px-1 text-brass',
};

/** One sentence of the brief, with the samples that reach it in the margin. */
export function BriefSentence({ sentence, isChosen, reached, results, problems, onChoose, onRemoved }: SentenceProps) {
  const { draft } = useEditor();
  const [isNoting, setNoting] = useState(false);
  const isStart = sentence.id === startId;
  const keepNote = (note: string): void => {
    setNoting(false);
    const change = note.trim() ? { note: note.trim() } : { note: undefined };
    if ((sentence.note ?? '') === note.trim()) return;
    draft.change(isStart ? withStart(change) : withStep(sentence.id, (step) => ({ ...step, ...change })));
  };
  const left = results.filter((result) => result?.kind === 'left_out').length;
  const unsettled = results.filter((result) => result?.kind === 'unsettled').length;
  return (
    <div
      className={`group relative rounded-lg border ${isChosen ? 'border-line-1 bg-sheet' : 'border-transparent hover:bg-pine-faint'}`}
    >
      <button
        type="button"
        aria-current={isChosen ? 'true' : undefined}
        onClick={onChoose}
        className="grid w-full grid-cols-[30px_1fr] gap-2 rounded-lg px-2 py-2 text-left"
      >
        <span className={`pt-px text-right text-md ${isChosen ? 'font-semibold text-pine' : 'text-ink-3'}`}>
          {reached}
          <span className="sr-only"> samples reach this sentence</span>
        </span>
        <span className={`border-l pl-2.5 ${isChosen ? 'border-pine' : 'border-line-1'}`}>
          <span
            className={`block pr-5 font-serif text-lg leading-snug ${sentence.isOff ? 'line-through opacity-70' : ''}`}
          >
            {sentence.phrases.map((phrase, at) => (
              // Phrases have no identity of their own; their order is the sentence.
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <span key={at} className={phraseLooks[phrase.kind]}>
                {phrase.text}
              </span>
            ))}
            {sentence.note && <em className="text-ink-2"> {sentence.note}</em>}
          </span>
          <span className="mt-0.5 flex flex-wrap gap-x-3 text-sm">
            {left > 0 && <OutcomeMark look={writeLooks.left_out} count={left} />}
            {unsettled > 0 && <OutcomeMark look={writeLooks.unsettled} count={unsettled} />}
          </span>
          {problems.map((problem) => (
            <span
              key={problem.message}
              className={`mt-1 flex gap-1.5 text-sm ${problem.severity === 'blocks' ? 'text-brick' : 'text-brass'}`}
            >
              <CircleAlert size={14} strokeWidth={1.75} className="mt-0.5 shrink-0" aria-hidden="true" />
              {problem.message}
            </span>
          ))}
        </span>
      </button>
      {isNoting && (
        <input
          aria-label="Note"
          defaultValue={sentence.note ?? ''}
          // The person has just asked for it.
          // biome-ignore lint/a11y/noAutofocus: see above
          autoFocus
          onBlur={(event) => keepNote(event.currentTarget.value)}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          className="mb-2 ml-12 w-[calc(100%-60px)] rounded-sm border border-line-input bg-raised px-2 py-1 font-serif italic"
        />
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label="What to do with this sentence"
          className="absolute top-2 right-1 rounded-sm p-1 text-ink-2 opacity-0 group-hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100"
        >
          <EllipsisVertical size={16} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-50 min-w-[180px] rounded-md border border-line-1 bg-raised p-1"
          >
            <MenuItem onSelect={() => setNoting(true)}>{sentence.note ? 'Change the note' : 'Add a note'}</MenuItem>
            {!isStart && (
              <>
                <MenuItem
                  onSelect={() => draft.change(withStep(sentence.id, (step) => ({ ...step, isOff: !step.isOff })))}
                >
                  {sentence.isOff ? 'Switch on' : 'Switch off'}
                </MenuItem>
                <MenuItem
                  onSelect={() => {
                    draft.change(withoutStep(sentence.id));
                    onRemoved();
                  }}
                >
                  Remove
                </MenuItem>
              </>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  );
}

function MenuItem({ children, onSelect }: { readonly children: string; readonly onSelect: () => void }) {
  return (
    <DropdownMenu.Item
      onSelect={onSelect}
      className="cursor-pointer rounded-sm px-2.5 py-1.5 outline-none data-[highlighted]:bg-pine-tint"
    >
      {children}
    </DropdownMenu.Item>
  );
}
