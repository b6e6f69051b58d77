import { Fragment, useState } from 'react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, type WorkflowRow } from '../api/queries.ts';
import { BeginButton } from '../editor/beginning/BeginDialog.tsx';
import { Button } from './Button.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { DayBars } from './DayBars.tsx';
import { downloadJson } from './download.ts';
import { FolderActions } from './FolderActions.tsx';
import { formatAhead, formatInstant, formatNumber, formatSeconds } from './formats.ts';
import { OnOff } from './OnOff.tsx';
import { putAside, sumWords } from './sum-words.ts';
import { Term } from './Term.tsx';
import { useTurning } from './Turning.tsx';
import { WorkflowMenu } from './WorkflowMenu.tsx';

interface TableProps {
  readonly rows: readonly WorkflowRow[];
  readonly zone: string;
  /** With what can be done to each, in place of its fourteen days. */
  readonly isForManaging?: boolean;
}

/** Each workflow as one row, by folder: from, to, on or off, last and next run, the day's balance. */
export function WorkflowTable({ rows, zone, isForManaging = false }: TableProps) {
  const folders = [...new Set(rows.map((row) => row.folder))].sort((one, other) =>
    // Those in no folder come last.
    one === '' ? 1 : other === '' ? -1 : one.localeCompare(other),
  );
  const hasFolders = folders.length > 1 || (folders[0] ?? '') !== '';
  return (
    <div className="overflow-x-auto rounded-lg border border-line-1">
      <table className="sheet">
        <thead>
          <tr>
            <th scope="col" className="w-[52px]">
              <span className="sr-only">On or off</span>
            </th>
            <th scope="col">Workflow</th>
            <th scope="col">From → to</th>
            <th scope="col">Last run</th>
            {['Taken in', 'Delivered', 'Not sent', 'Waiting', 'Needs you'].map((title) => (
              <th key={title} scope="col" className="text-right!">
                <Term>{title}</Term>
              </th>
            ))}
            <th scope="col" className={isForManaging ? 'w-[56px]' : 'w-[116px] xl:w-[150px]'}>
              {isForManaging ? <span className="sr-only">What to do</span> : '14 days'}
            </th>
          </tr>
        </thead>
        <tbody>
          {folders.map((folder) => (
            <Fragment key={folder}>
              {hasFolders && (
                <tr>
                  <th scope="rowgroup" colSpan={10} className="border-b! bg-paper!">
                    {folder || 'In no folder'}
                    {isForManaging && folder !== '' && (
                      <FolderActions folder={folder} rows={rows.filter((row) => row.folder === folder)} />
                    )}
                  </th>
                </tr>
              )}
              {rows
                .filter((row) => row.folder === folder)
                .map((row) =>
                  row.unreadable === null ? (
                    <Row key={row.id} row={row} zone={zone} isForManaging={isForManaging} />
                  ) : (
                    <UnreadableRow key={row.id} row={row} />
                  ),
                )}
            </Fragment>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface RowProps {
  readonly row: WorkflowRow;
  readonly zone: string;
  readonly isForManaging: boolean;
}

function Row({ row, zone, isForManaging }: RowProps) {
  const { turn, isBusy, asked } = useTurning(row.id, row.waiting);
  const quiet = (count: number): string => (count > 0 ? '' : 'text-ink-3');
  return (
    <tr className="h-[50px] hover:bg-pine-faint">
      <td>
        <OnOff
          isOn={row.isOn}
          isOff={row.liveVersion === null}
          label={`${row.name} is ${row.isOn ? 'on' : 'off'}`}
          title={row.liveVersion === null ? 'It has no live version yet: rehearse it first.' : undefined}
          isBusy={isBusy}
          onChange={turn}
        />
        {asked}
      </td>
      <td className="min-w-[210px]">
        <Link to={`/workflows/${row.id}`} className="block py-0.5 font-serif text-lg leading-tight">
          {row.name}
        </Link>
        <span className="flex flex-wrap items-center gap-x-3 text-sm text-ink-2">
          <span>
            <StateWords row={row} />
          </span>
          {row.isOn && row.when === 'by hand' && !row.isStopped && <BeginButton id={row.id} name={row.name} />}
        </span>
        {isForManaging && row.note && <span className="block text-sm text-ink-2 italic">{row.note}</span>}
      </td>
      <td className="min-w-[160px]">
        {row.from} → {row.to}
      </td>
      <td className="whitespace-nowrap text-ink-2">
        {row.lastRun ? (
          <>
            {formatInstant(row.lastRun.at, zone)}
            {row.lastRun.seconds !== null && ` · ${formatSeconds(row.lastRun.seconds)}`}
          </>
        ) : (
          '–'
        )}
      </td>
      <td
        className={`text-right ${quiet(row.today.takenIn)}`}
        data-hint={row.today.takenIn > 0 ? `${formatNumber(row.today.takenIn)} = ${sumWords(row.today)}` : undefined}
      >
        {formatNumber(row.today.takenIn)}
      </td>
      <td className={`text-right ${quiet(row.today.items.delivered)}`}>{formatNumber(row.today.items.delivered)}</td>
      <td className={`text-right ${putAside(row.today) > 0 ? 'text-stone' : 'text-ink-3'}`}>
        {formatNumber(putAside(row.today))}
      </td>
      <td className={`text-right ${row.waiting > 0 ? 'text-plum' : 'text-ink-3'}`}>{formatNumber(row.waiting)}</td>
      <td className={`text-right ${row.unsettled > 0 ? 'font-semibold text-brass' : 'text-ink-3'}`}>
        {formatNumber(row.unsettled)}
      </td>
      <td>
        {isForManaging ? (
          <span className="flex justify-end">
            <WorkflowMenu id={row.id} name={row.name} folder={row.folder} isOn={row.isOn} />
          </span>
        ) : (
          <DayBars days={row.days} />
        )}
      </td>
    </tr>
  );
}

/** What can't be read is shown as such beside all others, with the two things that can be done. */
function UnreadableRow({ row }: { readonly row: WorkflowRow }) {
  const [isRemoving, setRemoving] = useState(false);
  const save = useAction(async () => {
    const stored = await call('GET /api/workflows/:id/stored', { params: { id: row.id } });
    downloadJson(`${row.name} as stored.json`, stored);
  });
  const remove = useAction(() => call('DELETE /api/workflows/:id', { params: { id: row.id } }), 'Removed.');
  return (
    <tr>
      <td />
      <td colSpan={8} className="py-2!">
        <span className="block py-0.5 font-serif text-lg leading-tight">{row.name}</span>
        <span className="text-sm text-brick">{row.unreadable}</span>
      </td>
      <td className="whitespace-nowrap">
        <span className="flex flex-col items-end gap-1">
          <Button look="quiet" disabled={save.isPending} onClick={() => save.mutate(undefined)}>
            Save it
          </Button>
          <Button look="quiet" onClick={() => setRemoving(true)}>
            Remove
          </Button>
        </span>
        <ConfirmDialog
          title={`Remove “${row.name}”?`}
          isOpen={isRemoving}
          onClose={() => setRemoving(false)}
          confirm="Remove it"
          isBusy={remove.isPending}
          onConfirm={() => remove.mutate(undefined, { onSuccess: () => setRemoving(false) })}
        >
          <p>Nothing changes in the apps. What it holds is gone unless you saved it.</p>
        </ConfirmDialog>
      </td>
    </tr>
  );
}

function StateWords({ row }: { readonly row: WorkflowRow }) {
  if (row.message) return <span className="line-clamp-1 text-brick">{row.message}</span>;
  if (row.isOn) {
    if (row.isStopped) return 'on; stopped with everything';
    return row.nextAt ? `${row.when}, next ${formatAhead(row.nextAt)}` : row.when;
  }
  return row.liveVersion === null ? 'a draft, not live yet' : 'switched off';
}
