import { ChevronLeft, ChevronRight } from 'lucide-react';
import { DateTime } from 'luxon';
import { useState } from 'react';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { type DueView, useAction, useDue } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { inputLook, Select } from '../parts/Field.tsx';
import { counted, formatDayAndTime, formatNumber } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';

type Row = DueView['rows'][number];
type Cell = Row['cells'][number];
type Of = 'now' | 'rehearsal';
type Act = { kind: 'now' } | { kind: 'stop'; why: string } | { kind: 'put_off'; days: number };

/** Days that one step to the side moves by. */
const stride = 7;

/** Who gets what, when: what waits now, or what the last rehearsal would bring. */
export function DuePage() {
  const { workflow } = useEditor();
  const [of, setOf] = useState<Of>(workflow.isOn ? 'now' : 'rehearsal');
  const [search, setSearch] = useState('');
  const [from, setFrom] = useState<string>();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const due = useDue(workflow.id, { search, of, ...(from && { from }) });
  if (due.error)
    return (
      <div className="p-5">
        <ProblemMessage>{due.error.message}</ProblemMessage>
      </div>
    );
  if (!due.data) return <Loading what="what is due" />;
  const view = due.data;
  const first = view.days[0]?.day ?? '';
  const move = (days: number): void => setFrom(DateTime.fromISO(first).plus({ days }).toISODate() ?? undefined);
  const own = view.rows.filter(({ id }) => chosen.has(id)).map(({ id }) => id);
  return (
    <div className="flex h-full flex-col narrow:h-auto">
      <div className="flex flex-wrap items-center gap-3 px-5 py-3">
        <Sum view={view} of={of} />
        <Select
          aria-label="What is shown"
          value={of}
          onChange={({ target }) => {
            setOf(target.value as Of);
            setChosen(new Set());
          }}
          choices={[
            { value: 'now', label: 'what waits now' },
            { value: 'rehearsal', label: 'as last rehearsed' },
          ]}
        />
        <input
          type="search"
          aria-label="Search for a person"
          placeholder="Search for a person"
          value={search}
          onChange={({ target }) => setSearch(target.value)}
          className={`${inputLook} w-[200px]`}
        />
        <span className="ml-auto flex items-center gap-1">
          <Button
            look="quiet"
            aria-label="Earlier days"
            icon={<ChevronLeft size={16} />}
            onClick={() => move(-stride)}
          />
          <Button look="quiet" disabled={!from} onClick={() => setFrom(undefined)}>
            Today
          </Button>
          <Button look="quiet" aria-label="Later days" icon={<ChevronRight size={16} />} onClick={() => move(stride)} />
        </span>
      </div>
      {view.rows.length === 0 ? (
        <div className="px-5">
          <Empty of={of} isSearched={search !== ''} isOn={workflow.isOn} />
        </div>
      ) : (
        <div className="min-h-0 flex-1 overflow-auto border-t border-line-1">
          <Calendar view={view} of={of} chosen={chosen} onChoose={setChosen} />
        </div>
      )}
      {of === 'now' && view.rows.length > 0 && (
        <Acts workflow={workflow.id} ids={own} onDone={() => setChosen(new Set())} />
      )}
    </div>
  );
}

function Sum({ view: { counts, total, rows }, of }: { readonly view: DueView; readonly of: Of }) {
  if (of === 'rehearsal')
    return (
      <p>
        <strong className="font-semibold">{counted(total, 'record')}</strong> in the last rehearsal
        {total > rows.length && <>, the first {formatNumber(rows.length)} shown</>}
      </p>
    );
  return (
    <p className="flex flex-wrap gap-x-4 tabular-nums">
      <span>
        <strong className="font-semibold text-plum">{formatNumber(counts.waiting)}</strong> waiting
        {total > rows.length && <>, the first {formatNumber(rows.length)} shown</>}
      </span>
      {counts.overdue > 0 && (
        <span>
          <strong className="font-semibold text-brass">{formatNumber(counts.overdue)}</strong> overdue
        </span>
      )}
      {counts.unsettled > 0 && (
        <Link to="/needs-you" className="underline">
          <strong className="font-semibold text-brass">{formatNumber(counts.unsettled)}</strong> need you
        </Link>
      )}
      <span className="text-ink-2">{formatNumber(counts.endedEarly)} ended early in the last 7 days</span>
    </p>
  );
}

interface EmptyProps {
  readonly of: Of;
  readonly isSearched: boolean;
  readonly isOn: boolean;
}

function Empty({ of, isSearched, isOn }: EmptyProps) {
  if (isSearched)
    return <EmptyState title="Nobody found.">Search for a part of a name or an e-mail address.</EmptyState>;
  if (of === 'rehearsal')
    return (
      <EmptyState title="Nothing is rehearsed yet.">
        Rehearse the workflow: then you see here who would get what, and when.
      </EmptyState>
    );
  return (
    <EmptyState title="Nothing waits.">
      {isOn
        ? 'Records that come in from now on are shown here while they wait.'
        : 'The workflow is off. Choose “as last rehearsed” to see who would get what, and when.'}
    </EmptyState>
  );
}

interface CalendarProps {
  readonly view: DueView;
  readonly of: Of;
  readonly chosen: ReadonlySet<string>;
  readonly onChoose: (chosen: ReadonlySet<string>) => void;
}

/** A row a record, a column a day; closed days are hatched. */
function Calendar({ view, of, chosen, onChoose }: CalendarProps) {
  const { days, rows, zone } = view;
  const isAll = rows.length > 0 && rows.every(({ id }) => chosen.has(id));
  const toggle = (id: string): void => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    onChoose(next);
  };
  return (
    <table className="sheet w-full">
      <thead>
        <tr>
          {of === 'now' && (
            <th scope="col" className="w-[34px]">
              <input
                type="checkbox"
                aria-label="Choose all that are shown"
                checked={isAll}
                onChange={() => onChoose(isAll ? new Set() : new Set(rows.map(({ id }) => id)))}
              />
            </th>
          )}
          <th scope="col">Who</th>
          {days.map(({ day, closed, count }) => (
            <th key={day} scope="col" className={`min-w-[84px] ${closed ? 'text-ink-2' : ''}`}>
              {DateTime.fromISO(day).setLocale('en-GB').toFormat('ccc d LLL')}
              <span className="block truncate font-normal text-ink-2" title={closed ?? undefined}>
                {count > 0 ? `${formatNumber(count)} due` : (closed ?? '\u00a0')}
              </span>
            </th>
          ))}
          <th scope="col" className="min-w-[110px]">
            What happens
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.id}>
            {of === 'now' && (
              <td>
                <input
                  type="checkbox"
                  aria-label={`Choose ${row.title}`}
                  checked={chosen.has(row.id)}
                  onChange={() => toggle(row.id)}
                />
              </td>
            )}
            <th scope="row" className="max-w-[170px] truncate text-left font-medium">
              {row.title}
            </th>
            {days.map(({ day, closed }) => (
              <td key={day} className={`align-top ${closed ? 'hatched' : ''}`}>
                {row.cells
                  .filter(({ at }) => isOn(at, day, zone))
                  .map((cell, at) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a step may be due more than once on one day
                    <DueCell key={at} cell={cell} name={view.steps[cell.step] ?? ''} zone={zone} />
                  ))}
              </td>
            ))}
            <td className="text-ink-2 italic">{whatHappens(row, view)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const isOn = (instant: string, day: string, zone: string): boolean =>
  DateTime.fromISO(instant, { zone }).toISODate() === day;

interface CellProps {
  readonly cell: Cell;
  readonly name: string;
  readonly zone: string;
}

const looks: Record<Cell['kind'], { readonly colour: string; readonly word: string }> = {
  done: { colour: 'text-pine', word: 'done' },
  due: { colour: 'text-plum', word: 'due' },
  asks: { colour: 'text-brass', word: 'needs you' },
};

function DueCell({ cell: { at, kind, message }, name, zone }: CellProps) {
  const time = DateTime.fromISO(at, { zone }).toFormat('HH:mm');
  const { colour, word } = looks[kind];
  return (
    <span className={`block truncate ${colour}`} title={`${name}, ${word}: ${formatDayAndTime(at, zone)}`}>
      {kind === 'done' && <span aria-hidden="true">✓ </span>}
      {kind === 'asks' && <span aria-hidden="true">● </span>}
      {name} <span className="tabular-nums">{time}</span>
      <span className="sr-only">
        , {word}
        {message && `: ${message}`}
      </span>
    </span>
  );
}

/** What is to be said of a row beside its days: what a person is asked, until when it waits, or what lies beyond the days shown. */
function whatHappens({ cells, message, until }: Row, { days, zone }: DueView): string {
  const asks = cells.find(({ kind }) => kind === 'asks');
  if (asks) return `needs you: ${asks.message ?? ''}`;
  const last = days.at(-1)?.day ?? '';
  const first = days[0]?.day ?? '';
  const dayOf = (at: string): string => DateTime.fromISO(at, { zone }).toISODate() ?? '';
  if (until !== null && (dayOf(until) < first || dayOf(until) > last)) return `until ${formatDayAndTime(until, zone)}`;
  if (until === null && message) return message;
  const beyond = cells.filter(({ at }) => dayOf(at) > last);
  return beyond.length > 0 ? `${beyond.length} later` : '';
}

interface ActsProps {
  readonly workflow: string;
  readonly ids: readonly string[];
  readonly onDone: () => void;
}

/** What can be done with the chosen ones. */
function Acts({ workflow, ids, onDone }: ActsProps) {
  const [asked, setAsked] = useState<'now' | 'stop'>();
  const act = useAction(async (what: Act) => {
    const { count } = await call('POST /api/workflows/:id/due', {
      params: { id: workflow },
      body: { items: [...ids], act: what },
    });
    const left = ids.length - count;
    toast(
      left === 0
        ? `Done for ${counted(count, 'record')}.`
        : `Done for ${count}. ${counted(left, 'record')} had gone on meanwhile.`,
    );
    onDone();
  });
  const none = ids.length === 0 || act.isPending;
  const whom = counted(ids.length, 'record');
  return (
    <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-5 py-2">
      <span className="text-ink-2">
        {ids.length === 0 ? 'Choose records to do something with them.' : `${whom} chosen`}
      </span>
      <Button disabled={none} onClick={() => setAsked('now')}>
        Send now
      </Button>
      <Button disabled={none} onClick={() => act.mutate({ kind: 'put_off', days: 1 })}>
        Put off by a day
      </Button>
      <Button disabled={none} onClick={() => setAsked('stop')}>
        Stop
      </Button>
      <ConfirmDialog
        title={asked === 'now' ? `Send ${whom} now?` : `Stop ${whom}?`}
        isOpen={asked !== undefined}
        onClose={() => setAsked(undefined)}
        confirm={asked === 'now' ? 'Send now' : 'Stop'}
        onConfirm={() => {
          act.mutate(asked === 'now' ? { kind: 'now' } : { kind: 'stop', why: '' });
          setAsked(undefined);
        }}
      >
        {asked === 'now'
          ? 'What comes after the wait is done at once, without waiting for its time.'
          : 'What comes after the wait isn’t done for them. What was done already stays as it is.'}
      </ConfirmDialog>
    </footer>
  );
}
