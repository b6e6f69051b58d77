import { useState } from 'react';
import { type Undo, type UndoRow, useUndoRows } from '../api/queries.ts';
import { Loading } from '../parts/Messages.tsx';
import { OutcomeMark } from '../parts/OutcomeMark.tsx';
import { Pager } from '../parts/Pager.tsx';
import { Details } from './Details.tsx';
import { doneLooks, undoLooks } from './words.ts';

/** Rows of one page. */
const step = 100;

interface RowsProps {
  readonly undo: Undo;
  readonly of: Partial<Pick<UndoRow, 'kind' | 'state'>>;
  readonly total: number;
  /** Which records go back unless they are left out here; undefined where nothing is to be chosen any more. */
  readonly goesBack: ((row: UndoRow) => boolean) | undefined;
  readonly without: ReadonlySet<string>;
  readonly onWithout: (ids: readonly string[], isOut: boolean) => void;
  readonly onOpen: (itemId: string) => void;
}

/** The records of an undoing, each with what becomes of it; single ones can be left as they are. */
export function UndoRows({ undo, of, total, goesBack, without, onWithout, onOpen }: RowsProps) {
  const [from, setFrom] = useState(0);
  const rows = useUndoRows(undo.id, of, from, step).data;
  if (!rows) return <Loading what="the records" />;
  const choosable = goesBack ? rows.filter(goesBack) : [];
  return (
    <>
      <table className="sheet table-fixed border border-line-1">
        <thead>
          <tr>
            {goesBack && (
              <th scope="col" className="w-[38px]">
                {choosable.length > 0 && (
                  <input
                    type="checkbox"
                    aria-label="Undo all of these"
                    checked={choosable.every(({ itemId }) => !without.has(itemId))}
                    onChange={(event) =>
                      onWithout(
                        choosable.map(({ itemId }) => itemId),
                        !event.target.checked,
                      )
                    }
                    className="accent-pine"
                  />
                )}
              </th>
            )}
            <th scope="col" className="w-[30%]">
              Record
            </th>
            <th scope="col" className="w-[150px]">
              What becomes of it
            </th>
            <th scope="col">What is known</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.itemId}>
              {goesBack && (
                <td>
                  {goesBack(row) && (
                    <input
                      type="checkbox"
                      aria-label={`Undo ${row.title}`}
                      checked={!without.has(row.itemId)}
                      onChange={(event) => onWithout([row.itemId], !event.target.checked)}
                      className="accent-pine"
                    />
                  )}
                </td>
              )}
              <td className="truncate">
                <button type="button" className="underlined text-left font-medium" onClick={() => onOpen(row.itemId)}>
                  {row.title || row.sourceId}
                </button>{' '}
                <span className="font-mono text-sm text-ink-2">{row.sourceId}</span>
              </td>
              <td>
                <OutcomeMark look={lookOf(row, goesBack !== undefined && without.has(row.itemId))} />
              </td>
              <td className="break-words">
                <Details row={row} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Pager from={from} step={step} total={total} onFrom={setFrom} />
    </>
  );
}

function lookOf(row: UndoRow, isOut: boolean) {
  if (row.state === 'done' || row.state === 'stays') return doneLooks[row.state];
  return isOut ? { ...doneLooks.stays, colour: 'text-stone' } : undoLooks[row.kind];
}
