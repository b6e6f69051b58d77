import { toText, type Value } from '@golden/core';
import { type TracedRecord, useAsItIsNow } from '../api/queries.ts';
import { counted } from '../parts/formats.ts';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';

/** The record in each of its apps as it is now, field by field; what differs is marked, what an app hasn't is hatched. */
export function AsItIsNow({ record }: { readonly record: TracedRecord['key'] }) {
  const now = useAsItIsNow(record);
  if (now.error) return <ProblemMessage>{now.error.message}</ProblemMessage>;
  if (!now.data) return <Loading what="the record as it is now" />;
  const { there, fields, isMore } = now.data;
  const differing = fields.filter(({ cells }) => cells.some((cell) => cell?.differs)).length;
  return (
    <section aria-label="As it is now">
      <div className="overflow-x-auto">
        <table className="sheet table-fixed border border-line-1" style={{ minWidth: `${118 + there.length * 114}px` }}>
          <thead>
            <tr>
              <th scope="col" className="w-[118px]">
                As it is now
              </th>
              {there.map((one) => (
                <th key={`${one.app} ${one.key.place} ${one.key.id}`} scope="col">
                  <span className="block">{one.app}</span>
                  <span className="block font-normal text-ink-2">
                    {one.kind}{' '}
                    {one.url ? (
                      <OutsideLink href={one.url} className="underlined font-mono text-sm">
                        {one.key.id}
                      </OutsideLink>
                    ) : (
                      <span className="font-mono text-sm">{one.key.id}</span>
                    )}
                  </span>
                  {one.problem && <span className="block font-normal text-brick">{one.problem}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {fields.map((row) => (
              <tr key={row.label}>
                <th scope="row" className="whitespace-normal! text-ink-2 [overflow-wrap:anywhere]">
                  {row.label}
                </th>
                {row.cells.map((cell, at) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a cell is known by its app, which is its place
                  <Cell key={at} cell={cell} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-2 text-sm text-ink-2">
        {there.length > 1 &&
          (differing === 0 ? 'Nothing differs.' : `${counted(differing, 'field')} differ from the first.`)}
        {isMore && ' It stands in more apps than are shown.'}
      </p>
    </section>
  );
}

function Cell({ cell }: { readonly cell: { readonly value?: unknown; readonly differs: boolean } | null }) {
  if (!cell)
    return (
      <td>
        <span className="hatched block h-4" role="img" aria-label="there is no such field" />
      </td>
    );
  const { value } = cell;
  const text = typeof value === 'boolean' ? (value ? 'yes' : 'no') : toText((value ?? null) as Value);
  if (text === '') return <td className={`italic ${cell.differs ? 'text-slate' : 'text-ink-2'}`}>empty</td>;
  return (
    <td className={`[overflow-wrap:anywhere] ${cell.differs ? 'font-medium text-slate' : ''}`}>
      {text}
      {cell.differs && <span className="sr-only"> (differs)</span>}
    </td>
  );
}
