import { type Cell, isRecord, toText, type Value } from '@golden/core';
import { CircleAlert } from 'lucide-react';
import { clipped } from '../place/PlacePreview.tsx';

interface CellProps {
  readonly cell: Cell;
  readonly isNumber: boolean;
  /** True where it is read as it stands, over several lines. */
  readonly isLetter?: boolean;
  /** True where what it rests on is still being looked up. */
  readonly isOpen?: boolean;
}

/**
 * What one field gets from one sample. The arrow keys come to each cell of the sheet; what is cut off, and what is
 * wrong with a value, is said there (`HintLayer`).
 */
export function ValueCell({ cell, isNumber, isLetter = false, isOpen = false }: CellProps) {
  if (isOpen && cell.state !== 'filled')
    return (
      <td tabIndex={-1} className="text-ink-3" data-hint="Still being looked up">
        …<span className="sr-only">still being looked up</span>
      </td>
    );
  switch (cell.state) {
    case 'filled': {
      if (isLetter) return <LetterCell text={toText(cell.value)} note={cell.note} />;
      const text = clipped(shownValue(cell.value));
      return (
        <td
          tabIndex={-1}
          className={`truncate ${isNumber ? 'text-right' : ''} ${cell.note ? 'bg-brass-tint' : ''}`}
          data-hint={[text, cell.note].filter(Boolean).join(' · ')}
        >
          {text}
        </td>
      );
    }
    case 'empty':
      return (
        <td tabIndex={-1} className={`text-ink-3 ${cell.note ? 'bg-brass-tint' : ''}`} data-hint={cell.note}>
          <em>empty</em>
        </td>
      );
    case 'not_filled':
      return (
        <td tabIndex={-1} className="hatched">
          <span className="sr-only">not filled</span>
        </td>
      );
    case 'problem':
      return (
        <td
          tabIndex={-1}
          data-problem
          data-hint={clipped(cell.message)}
          className="cursor-pointer truncate bg-brick-tint text-brick"
        >
          <CircleAlert size={13} strokeWidth={1.75} className="mr-1 inline" aria-hidden="true" />
          {clipped(cell.message)}
        </td>
      );
  }
}

/** A letter as whoever gets it reads it; what is empty in it is told above. */
function LetterCell({ text, note }: { readonly text: string; readonly note: string | undefined }) {
  return (
    <td tabIndex={-1} className={`p-0! align-top ${note ? 'bg-brass-tint' : ''}`} data-hint={note}>
      <section
        aria-label="The text for this sample"
        // What scrolls is reached by keys (WCAG 2.1.1).
        // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
        tabIndex={0}
        className="h-[174px] overflow-y-auto whitespace-pre-wrap break-words px-2.5 py-1.5 font-serif"
      >
        {note && <p className="mb-1 font-sans text-xs text-brass">{note}</p>}
        {text}
      </section>
    </td>
  );
}

/** A value in one line; lines are told by how many they are. */
function shownValue(value: Value): string {
  const isLines = Array.isArray(value) && value.some(isRecord);
  return isLines ? (value.length === 1 ? '1 line' : `${value.length} lines`) : toText(value);
}
