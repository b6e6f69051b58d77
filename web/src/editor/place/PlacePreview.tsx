import { type Field, readPointer, toText } from '@golden/core';
import { usePlace } from '../../api/queries.ts';
import { counted } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { TooFewRights } from '../../parts/TooFewRights.tsx';
import type { ChosenPlace } from './chosen-place.ts';

interface PreviewProps {
  readonly place: ChosenPlace;
  readonly purpose: 'from' | 'to';
}

const rowsShown = 4;

/** How much a place holds, and its first rows: is it the right one of the two lists? */
export function PlacePreview({ place, purpose }: PreviewProps) {
  const seen = usePlace(place.connection, place.path);
  if (seen.error) return <ProblemMessage>{seen.error.message}</ProblemMessage>;
  if (!seen.data) return <p className="mt-1 text-ink-2">Looking…</p>;
  const { described, holds, first } = seen.data;
  const problem = purpose === 'to' ? described.readOnlyBecause : undefined;
  return (
    <div className="mt-1.5">
      <p className="mb-1.5 text-sm text-ink-2">
        {described.document
          ? 'A document for each record'
          : !described.can.list
            ? `${described.plural} are sent from here`
            : holds === null
              ? `more than 5,000 ${described.plural}`
              : counted(holds, described.singular, described.plural)}{' '}
        · {counted(described.fields.length, 'field')}
      </p>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {purpose === 'to' && !problem && (
        <p className="mb-1.5">
          <TooFewRights connectionId={place.connection} />
        </p>
      )}
      {described.can.list && <FirstRows fields={described.fields} rows={first.slice(0, rowsShown)} />}
    </div>
  );
}

interface RowsProps {
  readonly fields: readonly Field[];
  readonly rows: readonly Record<string, unknown>[];
}

/** The first rows of a place as a small sheet. */
export function FirstRows({ fields, rows }: RowsProps) {
  if (rows.length === 0) return <p className="text-ink-2">It is empty.</p>;
  return (
    // A wide table scrolls sideways; the keyboard reaches it too.
    // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
    <section className="overflow-x-auto rounded-md border border-line-1" tabIndex={0} aria-label="First rows">
      <table className="sheet">
        <thead>
          <tr>
            {fields.map((field) => (
              <th key={field.path} scope="col">
                {field.label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            // Rows of a preview are told apart by their place only.
            // biome-ignore lint/suspicious/noArrayIndexKey: see above
            <tr key={at}>
              {fields.map((field) => (
                <td key={field.path} className="max-w-[200px] truncate">
                  {clipped(toText(readPointer(row as never, field.path)))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** A value as far as a cell can show it: a text of five megabytes must not go into the page. */
export const clipped = (text: string): string => (text.length > 300 ? `${text.slice(0, 300)}…` : text);
