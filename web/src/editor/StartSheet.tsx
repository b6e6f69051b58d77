import { everyLabel, type FromWhen, isEmpty, readPointer, type Start, toText } from '@golden/core';
import { RefreshCw } from 'lucide-react';
import { useId, useState } from 'react';
import { call } from '../api/client.ts';
import { useCounts, useDo } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { inputLook, Select } from '../parts/Field.tsx';
import { formatNumber } from '../parts/formats.ts';
import { EmptyState, ProblemMessage } from '../parts/Messages.tsx';
import { useEditor } from './context.tsx';
import { withStart } from './edits.ts';
import { PlaceChooser } from './PlaceChooser.tsx';
import { SheetHead } from './SheetHead.tsx';

const intervals = [1, 5, 15, 30, 60, 240, 1440];

/** The start's worksheet: where from, what, how often, from when; and its samples. */
export function StartSheet() {
  const { draft, connections } = useEditor();
  const { start } = draft.content;
  const change = (next: Partial<Start>): void => draft.change(withStart(next));
  const hasIds = start.source?.described.fields.some((field) => field.type === 'id' && field.readOnly) ?? true;
  return (
    <>
      <SheetHead title="What starts it" />
      <div className="min-h-0 flex-1 overflow-auto">
        <dl className="grid grid-cols-[128px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
          <dt className="text-ink-2">Records from</dt>
          <dd>
            <PlaceChooser
              purpose="from"
              place={start.source}
              connections={connections}
              onChoose={(source) => change({ source, identity: undefined })}
            />
          </dd>
          {start.source && (
            <>
              <dt className="text-ink-2">When one</dt>
              <dd className="flex flex-wrap items-center gap-2">
                <Select
                  aria-label="When a record"
                  value={start.on}
                  onChange={(event) => change({ on: event.target.value as Start['on'] })}
                  choices={[
                    { value: 'added', label: 'is added' },
                    { value: 'added_or_changed', label: 'is added or changed' },
                  ]}
                />
                <span className="text-ink-2">, asked</span>
                <Select
                  aria-label="How often it is asked"
                  value={String(start.everyMinutes)}
                  onChange={(event) => change({ everyMinutes: Number(event.target.value) })}
                  choices={intervals.map((minutes) => ({ value: String(minutes), label: everyLabel(minutes) }))}
                />
              </dd>
              {!hasIds && (
                <>
                  <dt className="text-ink-2">Recognised by</dt>
                  <dd>
                    <Select
                      aria-label="The field that tells one record from another"
                      value={start.identity ?? ''}
                      onChange={(event) => change({ identity: event.target.value || undefined })}
                      choices={[
                        { value: '', label: 'Choose the field that tells one from another' },
                        ...start.source.described.fields.map((field) => ({ value: field.path, label: field.label })),
                      ]}
                    />
                  </dd>
                </>
              )}
              <dt className="self-start pt-1 text-ink-2">From when</dt>
              <dd>
                <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => change({ fromWhen })} />
              </dd>
            </>
          )}
        </dl>
        {start.source ? (
          <SampleTable />
        ) : (
          <div className="px-5">
            <EmptyState title="Begin with where the records are.">
              Choose an app above, or connect one. Its records then stand here as samples to build with.
            </EmptyState>
          </div>
        )}
      </div>
    </>
  );
}

interface FromWhenProps {
  readonly fromWhen: FromWhen;
  readonly onChange: (fromWhen: FromWhen) => void;
}

/** Where in time it begins, each with the number of records it means. */
function FromWhenChoice({ fromWhen, onChange }: FromWhenProps) {
  const { workflow, sourceKey, draft } = useEditor();
  const name = useId();
  const since = fromWhen.kind === 'since' ? fromWhen.at : undefined;
  const [day, setDay] = useState(since?.slice(0, 10) ?? '');
  const isSaved = draft.state.kind === 'saved';
  const counts = useCounts(workflow.id, isSaved ? `${sourceKey}|${draft.content.start.on}` : '', since);
  const all = counts.data?.all;
  const number = (value: number | undefined): string => (value === undefined ? '…' : formatNumber(value));
  const option = (kind: FromWhen['kind'], label: string, meaning: string, choose: () => void) => (
    <label
      className={`flex items-baseline gap-2 rounded-md px-2 py-1 ${fromWhen.kind === kind ? 'bg-pine-faint' : ''}`}
    >
      <input type="radio" name={name} checked={fromWhen.kind === kind} onChange={choose} className="accent-pine" />
      <span>{label}</span>
      <span className="text-sm text-ink-2">{meaning}</span>
    </label>
  );
  return (
    <fieldset className="-ml-2 max-w-[640px]">
      <legend className="sr-only">From when</legend>
      {option('now', 'only what comes from now on', `${number(all)} that are there are noted, 0 sent`, () =>
        onChange({ kind: 'now' }),
      )}
      <div className="flex items-center gap-2">
        {option(
          'since',
          'since a date',
          fromWhen.kind === 'since' && counts.data?.since !== undefined
            ? `${number(counts.data.since)} of ${number(all)} sent`
            : '',
          () => day && onChange({ kind: 'since', at: day }),
        )}
        <input
          type="date"
          aria-label="Since which date"
          value={day}
          onChange={(event) => {
            setDay(event.target.value);
            if (event.target.value) onChange({ kind: 'since', at: event.target.value });
          }}
          className={inputLook}
        />
      </div>
      {option('all', 'everything that is there, and what comes', `${number(all)} sent`, () =>
        onChange({ kind: 'all' }),
      )}
      {counts.data && counts.data.days.length > 1 && (
        <TimeAxis days={counts.data.days} from={since} isAll={fromWhen.kind === 'all'} />
      )}
      {counts.error && <ProblemMessage>{counts.error.message}</ProblemMessage>}
    </fieldset>
  );
}

interface AxisProps {
  readonly days: readonly { readonly day: string; readonly count: number }[];
  readonly from: string | undefined;
  readonly isAll: boolean;
}

const barsShown = 60;

/** Records by day, the latest sixty with any; those that would be sent are filled. */
function TimeAxis({ days, from, isAll }: AxisProps) {
  const shown = days.slice(-barsShown);
  const most = Math.max(...shown.map((one) => one.count));
  return (
    <figure className="mt-2 px-2">
      <div className="flex h-[38px] items-end gap-px" aria-hidden="true">
        {shown.map(({ day, count }) => (
          <span
            key={day}
            title={`${day}: ${count}`}
            style={{ height: `${Math.max(6, (count / most) * 100)}%` }}
            className={`min-w-[3px] flex-1 rounded-t-sm ${isAll || (from !== undefined && day >= from) ? 'bg-pine' : 'bg-line-1'}`}
          />
        ))}
      </div>
      <figcaption className="flex justify-between text-sm text-ink-2">
        <span>{shown[0]?.day}</span>
        <span>records by day</span>
        <span>{shown.at(-1)?.day}</span>
      </figcaption>
    </figure>
  );
}

/** One row a sample, one column a field. */
function SampleTable() {
  const { samples, samplesProblem, isLoadingSamples, draft, workflow } = useEditor();
  const reload = useDo(() =>
    call('GET /api/workflows/:id/samples', { params: { id: workflow.id }, query: { anew: 'yes' } }),
  );
  const fields = draft.content.start.source?.described.fields ?? [];
  if (samplesProblem) {
    return (
      <div className="px-5">
        <ProblemMessage>{samplesProblem}</ProblemMessage>
      </div>
    );
  }
  return (
    <section aria-label="Samples" className="border-t border-line-1">
      <h3 className="px-5 py-2 font-sans font-semibold">
        {samples.length} samples{' '}
        <span className="font-normal text-ink-2">the latest records, as the app gives them</span>
        <Button
          look="quiet"
          className="ml-2"
          icon={<RefreshCw size={14} />}
          disabled={reload.isPending}
          onClick={() => reload.mutate(undefined)}
        >
          Load them again
        </Button>
      </h3>
      {samples.length === 0 ? (
        <p className="px-5 pb-4 text-ink-2" role="status">
          {isLoadingSamples
            ? 'Loading samples…'
            : 'The source holds no records yet. Add one in the app, then load them again.'}
        </p>
      ) : (
        // A wide table scrolls sideways; the keyboard reaches it too.
        // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
        <section className="overflow-x-auto" tabIndex={0} aria-label="Samples, field by field">
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
              {samples.map((sample) => (
                <tr key={sample.id}>
                  {fields.map((field) => {
                    const value = readPointer(sample.record as never, field.path);
                    return (
                      <td key={field.path} className="max-w-[220px] truncate">
                        {isEmpty(value) ? <em className="text-ink-3">empty</em> : toText(value)}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </section>
  );
}
