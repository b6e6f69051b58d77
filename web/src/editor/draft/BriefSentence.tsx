import type { ReadinessProblem, Sentence, StepResult } from '@golden/core';
import { startId } from '@golden/core';
import { CircleAlert, EllipsisVertical } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { MenuItem } from '../../parts/MenuItem.tsx';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import type { BriefActions } from './brief-actions.ts';
import { PhraseText } from './PhraseText.tsx';

interface SentenceProps {
  readonly sentence: Sentence;
  readonly isChosen: boolean;
  /** How many samples reach it; undefined while that is being found out. */
  readonly reached: number | undefined;
  readonly results: readonly (StepResult | undefined)[];
  readonly problems: readonly ReadinessProblem[];
  /** True when its place isn't what it was built on. */
  readonly hasDrifted: boolean;
  readonly actions: BriefActions;
  readonly onChoose: () => void;
}

/** One sentence of the brief, with the samples that reach it in the margin. */
export function BriefSentence(props: SentenceProps) {
  const { sentence, isChosen, reached, results, problems, hasDrifted, actions, onChoose } = props;
  const [writing, setWriting] = useState<'' | 'note' | 'name'>('');
  const isStart = sentence.id === startId;
  const keep = (text: string): void => {
    if (writing === 'note' && (sentence.note ?? '') !== text.trim()) actions.note(sentence.id, text);
    if (writing === 'name' && (sentence.name ?? '') !== text.trim()) actions.rename(sentence.id, text);
    setWriting('');
  };
  const left = results.filter((result) => result?.kind === 'left_out').length;
  const unsettled = results.filter((result) => result?.kind === 'unsettled').length;
  return (
    <div
      className={`group relative rounded-lg border ${sentence.isWithin ? 'ml-6' : ''} ${isChosen ? 'border-line-1 bg-sheet' : 'border-transparent hover:bg-pine-faint'}`}
    >
      <button
        type="button"
        data-sentence={sentence.id}
        aria-current={isChosen ? 'true' : undefined}
        // One stop for the Tab key: the arrow keys go from sentence to sentence, and the next stop is the sheet.
        tabIndex={isChosen ? 0 : -1}
        onKeyDown={(event) => event.key === 'Tab' && !event.shiftKey && toSheet() && event.preventDefault()}
        onClick={onChoose}
        className="grid w-full grid-cols-[30px_1fr] gap-2 rounded-lg px-2 py-2 text-left"
      >
        <span className={`pt-px text-right text-md ${isChosen ? 'font-semibold text-pine' : 'text-ink-3'}`}>
          {reached ?? '…'}
          <span className="sr-only"> samples reach this step</span>
        </span>
        <span className={`border-l pl-2.5 ${isChosen ? 'border-pine' : 'border-line-1'}`}>
          {sentence.name && <span className="block pr-5 text-sm font-semibold text-ink-2">{sentence.name}</span>}
          <span
            className={`block pr-5 font-serif text-lg leading-snug ${sentence.isOff ? 'line-through opacity-70' : ''}`}
          >
            <PhraseText phrases={sentence.phrases} />
            {sentence.note && <em className="text-ink-2"> {sentence.note}</em>}
          </span>
          <span className="mt-0.5 flex flex-wrap gap-x-3 text-sm">
            {left > 0 && <OutcomeMark look={writeLooks.left_out} count={left} />}
            {unsettled > 0 && <OutcomeMark look={writeLooks.unsettled} count={unsettled} />}
          </span>
          {hasDrifted && (
            <span className="mt-1 flex gap-1.5 text-sm text-brick">
              <CircleAlert size={14} strokeWidth={1.75} className="mt-0.5 shrink-0" aria-hidden="true" />
              Its place has changed.
            </span>
          )}
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
      {writing && (
        <input
          aria-label={writing === 'note' ? 'Note' : 'Name of the step'}
          defaultValue={(writing === 'note' ? sentence.note : sentence.name) ?? ''}
          maxLength={writing === 'name' ? 80 : 400}
          // The person has just asked for it.
          // biome-ignore lint/a11y/noAutofocus: see above
          autoFocus
          onBlur={(event) => keep(event.currentTarget.value)}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          className={`mb-2 ml-12 w-[calc(100%-60px)] rounded-sm border border-line-input bg-raised px-2 py-1 ${writing === 'note' ? 'font-serif italic' : ''}`}
        />
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label="Actions for this step"
          className="absolute top-2 right-1 rounded-sm p-1 text-ink-2 opacity-0 group-hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100"
        >
          <EllipsisVertical size={16} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-50 min-w-[180px] rounded-md border border-line-1 bg-raised p-1"
          >
            <MenuItem onSelect={() => setWriting('note')}>{sentence.note ? 'Change the note' : 'Add a note'}</MenuItem>
            <MenuItem onSelect={() => actions.addAfter(sentence.id)} keys="A">
              Add a step after it
            </MenuItem>
            {!isStart && <StepItems sentence={sentence} actions={actions} onRename={() => setWriting('name')} />}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  );
}

/** Goes to the row of the mapping sheet that is chosen; false where the worksheet is none. */
function toSheet(): boolean {
  const row = document.querySelector<HTMLElement>('[data-row][tabindex="0"]');
  row?.focus();
  return row !== null;
}

interface ItemsProps {
  readonly sentence: Sentence;
  readonly actions: BriefActions;
  readonly onRename: () => void;
}

function StepItems({ sentence: { id, name, isOff }, actions, onRename }: ItemsProps) {
  return (
    <>
      <MenuItem onSelect={onRename}>{name ? 'Rename' : 'Give it a name'}</MenuItem>
      <MenuItem onSelect={() => actions.tryAlone(id)} keys="T">
        Try it alone
      </MenuItem>
      <MenuItem onSelect={() => actions.move(id, -1)} keys="Alt ↑">
        Move up
      </MenuItem>
      <MenuItem onSelect={() => actions.move(id, 1)} keys="Alt ↓">
        Move down
      </MenuItem>
      <MenuItem onSelect={() => actions.duplicate(id)} keys="D">
        Duplicate
      </MenuItem>
      <MenuItem onSelect={() => actions.toggle(id)} keys="O">
        {isOff ? 'Switch on' : 'Switch off'}
      </MenuItem>
      <MenuItem onSelect={() => actions.remove(id)} keys="Delete">
        Remove
      </MenuItem>
    </>
  );
}
