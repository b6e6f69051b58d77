import { type Cell, isRecord, toText, type Value } from '@golden/core';
import { CircleAlert } from 'lucide-react';
import { clipped } from '../place/PlacePreview.tsx';

interface CellProps {
  readonly cell: Cell;
  readonly isNumber: boolean;
}

/**
 * What one field gets from one sample. The arrow keys come to each cell of the sheet; what is cut off, and what is
 * wrong with a value, is said there (`HintLayer`).
 */
export function ValueCell({ cell, isNumber }: CellProps) {
  switch (cell.state) {
    case 'filled': {
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

/** A value in one line; lines are told by how many they are. */
function shownValue(value: Value): string {
  const isLines = Array.isArray(value) && value.some(isRecord);
  return isLines ? (value.length === 1 ? '1 line' : `${value.length} lines`) : toText(value);
}
