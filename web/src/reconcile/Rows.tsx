import { toText, type Value } from '@golden/core';
import { useState } from 'react';
import { type Reconcile, type ReconcileRow, useReconcileRows } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { formatNumber } from '../parts/formats.ts';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';
import { sideNames } from './sides.ts';

interface RowsProps {
  readonly reconcile: Reconcile;
  readonly kind: ReconcileRow['kind'] | undefined;
  readonly field: string | undefined;
  readonly onOpen: (row: ReconcileRow) => void;
}

/** Rows that are shown at first, and more with each wish. */
const step = 100;

/** What isn't the same on both sides: a line for each field that differs, one for each of the rest. */
export function Rows({ reconcile, kind, field, onOpen }: RowsProps) {
  const [limit, setLimit] = useState(step);
  const rows = useReconcileRows(reconcile.id, kind, field, limit);
  if (rows.error) return <ProblemMessage>{rows.error.message}</ProblemMessage>;
  if (!rows.data) return <Loading what="what was found" />;
  const { here, there } = sideNames(reconcile);
  const hasWhy = rows.data.some(({ why }) => why !== null);
  return (
    <>
      <table className="sheet table-fixed border border-line-1">
        <thead>
          <tr>
            <th scope="col" className="w-[24%]">
              Record
            </th>
            <th scope="col" className="w-[16%]">
              {rows.data.some((row) => row.kind === 'differ') ? 'Field' : hasWhy ? 'Why' : 'What'}
            </th>
            <th scope="col" className="w-[30%]">
              in {here}
            </th>
            <th scope="col" className="w-[30%]">
              in {there}
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.data.map((row) => (
            <RowLines key={row.at} row={row} field={field} onOpen={() => onOpen(row)} />
          ))}
        </tbody>
      </table>
      {rows.data.length === limit && (
        <p className="mt-2 flex items-center gap-3 text-ink-2">
          The first {formatNumber(limit)} are shown.
          <Button onClick={() => setLimit(Math.min(500, limit + step))} disabled={limit >= 500}>
            Show more
          </Button>
          {limit >= 500 && 'Save them as a file to see all.'}
        </p>
      )}
    </>
  );
}

interface LinesProps {
  readonly row: ReconcileRow;
  readonly field: string | undefined;
  readonly onOpen: () => void;
}

function RowLines({ row, field, onOpen }: LinesProps) {
  const name = (
    <button type="button" onClick={onOpen} className="underlined max-w-full truncate text-left font-medium">
      {row.title || 'without a name'}
    </button>
  );
  if (row.kind !== 'differ')
    return (
      <tr>
        <td className="truncate">{name}</td>
        <td className="truncate text-ink-2" title={row.why ?? undefined}>
          {row.why ?? wordsOf[row.kind]}
        </td>
        <td>{row.left.length === 0 ? <NotThere /> : <Ids records={row.left} />}</td>
        <td>{row.right.length === 0 ? <NotThere /> : <Ids records={row.right} />}</td>
      </tr>
    );
  const shown = row.differences.filter(({ path }) => field === undefined || path === field);
  return shown.map((one, at) => (
    <tr key={one.path}>
      <td className="truncate">{at === 0 && name}</td>
      <td className="truncate">{one.label}</td>
      <Cell value={one.left as Value} other={one.right as Value} />
      <Cell value={one.right as Value} other={one.left as Value} isThere />
    </tr>
  ));
}

const wordsOf: Readonly<Record<ReconcileRow['kind'], string>> = {
  differ: 'differs',
  only_left: 'only here',
  only_right: 'only there',
  doubled: 'doubled',
  unclear: 'which is which isn’t clear',
};

const NotThere = () => <span className="hatched block h-4 w-24" role="img" aria-label="isn’t there" />;

function Ids({ records }: { readonly records: ReconcileRow['left'] }) {
  return (
    <span className="flex flex-wrap gap-x-2">
      {records.map(({ id, url }) =>
        url ? (
          <OutsideLink key={id} href={url} className="underlined font-mono text-sm">
            {id}
          </OutsideLink>
        ) : (
          <span key={id} className="font-mono text-sm">
            {id}
          </span>
        ),
      )}
    </span>
  );
}

interface CellProps {
  readonly value: Value;
  readonly other: Value;
  readonly isThere?: boolean;
}

/** A value with the part in bold in which it differs from the other one. */
function Cell({ value, other, isThere = false }: CellProps) {
  const [text, beside] = [toText(value), toText(other)];
  if (text === '') return <td className="text-ink-2 italic">empty</td>;
  const [before, own, after] = differingPart(text, beside);
  return (
    <td className={`break-words ${isThere ? 'text-slate' : ''}`}>
      {before}
      <b className="font-semibold">{own}</b>
      {after}
    </td>
  );
}

/** A text in three: what it begins with as the other does, what is its own, what it ends with as the other does. */
export function differingPart(text: string, other: string): readonly [string, string, string] {
  if (other === '') return ['', text, ''];
  const [one, two] = [[...text], [...other]];
  let begins = 0;
  while (begins < one.length && begins < two.length && one[begins] === two[begins]) begins += 1;
  let ends = 0;
  const most = Math.min(one.length, two.length) - begins;
  while (ends < most && one[one.length - 1 - ends] === two[two.length - 1 - ends]) ends += 1;
  return [
    one.slice(0, begins).join(''),
    one.slice(begins, one.length - ends).join(''),
    one.slice(one.length - ends).join(''),
  ];
}
