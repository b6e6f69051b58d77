import {
  countsByCalendar,
  hoursOf,
  type NamedField,
  type Ref,
  refKey,
  type WaitStep,
  type WaitUntil,
} from '@golden/core';
import { CalendarDays } from 'lucide-react';
import { useState } from 'react';
import { CalendarsDrawer } from '../../calendars/CalendarsDrawer.tsx';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useNames } from '../../editor/draft/use-names.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select, SelectField } from '../../parts/Field.tsx';
import { formatDayAndTime } from '../../parts/formats.ts';
import { Amount } from './Amount.tsx';
import { EndingsEditor } from './EndingsEditor.tsx';

interface SheetProps {
  readonly step: WaitStep;
  readonly samples: readonly SampleOnSheet[];
}

const shownSamples = 40;
/** How long is waited, and when that would end for each sample that came now. */
export function WaitSheet({ step, samples }: SheetProps) {
  const { draft, version, zone } = useEditor();
  const [isSetting, setSetting] = useState(false);
  const dates = useDates(step.id);
  const change = (edit: (one: WaitStep) => WaitStep): void => draft.change(withStep<WaitStep>(step.id, edit));
  const put = (until: WaitUntil): void => change((one) => ({ ...one, until }));
  const reaching = samples.filter((one) => one.reached.has(step.id));
  const hours = hoursOf(step, version);
  return (
    <>
      <SheetHead title="Wait before going on">
        <span className="text-ink-2">Nobody waits while you rehearse or try it.</span>
      </SheetHead>
      <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
        <div className="grid max-w-[720px] grid-cols-2 gap-x-5">
          <SelectField
            label="Wait"
            value={step.until.kind}
            onChange={(event) => put(begun(event.target.value as WaitUntil['kind'], dates[0]?.known.ref ?? null))}
            choices={[
              { value: 'time', label: 'for a time' },
              { value: 'time_of_day', label: 'until a time of the day' },
              { value: 'date', label: 'until a date of the record' },
            ]}
          />
          <SelectField
            label="If that has passed already"
            value={step.late ?? 'goes_on'}
            onChange={({ target }) =>
              change(({ late: _late, ...one }) => (target.value === 'stops' ? { ...one, late: 'stops' } : one))
            }
            choices={[
              { value: 'goes_on', label: 'go on at once' },
              { value: 'stops', label: 'stop there' },
            ]}
          />
        </div>
        <UntilEditor until={step.until} dates={dates} onChange={put} />
        {countsByCalendar(step) && (
          <p className="mt-1 mb-4 flex flex-wrap items-center gap-x-3 gap-y-1 text-ink-2">
            <span>
              Counted by <strong className="font-medium text-ink-1">{hours.name}</strong>
            </span>
            {(version.calendars?.length ?? 0) > 1 && (
              <Select
                aria-label="Working calendar"
                value={hours.id}
                onChange={({ target }) => change((one) => ({ ...one, calendar: target.value }))}
                choices={(version.calendars ?? []).map(({ id, name }) => ({ value: id, label: name }))}
              />
            )}
            <Button look="quiet" icon={<CalendarDays size={14} strokeWidth={1.75} />} onClick={() => setSetting(true)}>
              Change hours and days off
            </Button>
          </p>
        )}
        <EndingsEditor
          step={step}
          onChange={(endings) =>
            change(({ endings: _before, ...one }) => (endings.length > 0 ? { ...one, endings } : one))
          }
        />
        {reaching.length > 0 && (
          <table className="sheet max-w-[720px]">
            <thead>
              <tr>
                <th scope="col">Sample</th>
                <th scope="col">If it came now, it goes on</th>
              </tr>
            </thead>
            <tbody>
              {reaching.slice(0, shownSamples).map((sample) => (
                <tr key={sample.id}>
                  <td className="truncate">{sample.title}</td>
                  <td>
                    <EndsAt sample={sample} id={step.id} zone={zone} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      <CalendarsDrawer isOpen={isSetting} onClose={() => setSetting(false)} />
    </>
  );
}

/** The fields that hold a date, those that are one by their type first. */
function useDates(stepId: string): readonly NamedField[] {
  const names = useNames(stepId).filter(({ known }) => !known.isInList);
  const isDate = ({ type }: NamedField): boolean => type === 'date' || type === 'instant';
  return [...names.filter(isDate), ...names.filter((one) => !isDate(one) && one.type === 'text')];
}

/** A wait of another kind, with what is usual for it. */
function begun(kind: WaitUntil['kind'], ref: Ref | null): WaitUntil {
  switch (kind) {
    case 'time':
      return { kind, amount: 1, unit: 'working_days', from: 'start' };
    case 'time_of_day':
      return { kind, at: '09:00', onWorkingDays: true };
    case 'date':
      return { kind, ref, amount: 1, unit: 'days', side: 'before' };
  }
}

interface UntilProps {
  readonly until: WaitUntil;
  readonly dates: readonly NamedField[];
  readonly onChange: (until: WaitUntil) => void;
}

function UntilEditor({ until, dates, onChange }: UntilProps) {
  const row = 'mb-3 flex flex-wrap items-center gap-2';
  switch (until.kind) {
    case 'time':
      return (
        <div className={row}>
          <Amount value={until} onChange={(one) => onChange({ ...until, ...one })} />
          <span className="text-ink-2">counted from</span>
          <Select
            aria-label="Counted from"
            value={until.from}
            onChange={({ target }) => onChange({ ...until, from: target.value as 'start' })}
            choices={[
              { value: 'start', label: 'the start' },
              { value: 'step', label: 'the step before' },
            ]}
          />
        </div>
      );
    case 'time_of_day':
      return (
        <div className={row}>
          <TimeInput label="Time of the day" value={until.at} onChange={(at) => at && onChange({ ...until, at })} />
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={until.onWorkingDays}
              onChange={({ target }) => onChange({ ...until, onWorkingDays: target.checked })}
            />
            on working days only
          </label>
        </div>
      );
    case 'date':
      return (
        <div className={row}>
          <Amount value={until} onChange={(one) => onChange({ ...until, ...one })} />
          <Select
            aria-label="Before or after"
            value={until.side}
            onChange={({ target }) => onChange({ ...until, side: target.value as 'before' })}
            choices={[
              { value: 'before', label: 'before' },
              { value: 'after', label: 'after' },
            ]}
          />
          <Select
            aria-label="Date"
            value={until.ref ? refKey(until.ref) : ''}
            onChange={({ target }) =>
              onChange({
                ...until,
                ref: dates.find(({ known }) => refKey(known.ref) === target.value)?.known.ref ?? null,
              })
            }
            choices={[
              { value: '', label: 'choose a date' },
              ...dates.map(({ name, known }) => ({ value: refKey(known.ref), label: name })),
            ]}
          />
          <span className="text-ink-2">at</span>
          <TimeInput
            label="At a time of that day"
            value={until.at ?? ''}
            onChange={(at) => {
              const { at: _at, ...rest } = until;
              onChange(at ? { ...rest, at } : rest);
            }}
          />
          <span className="text-sm text-ink-2">Without a time: that of the date itself, or 09:00.</span>
        </div>
      );
  }
}

interface TimeProps {
  readonly label: string;
  readonly value: string;
  readonly onChange: (value: string) => void;
}

function TimeInput({ label, value, onChange }: TimeProps) {
  return (
    <input
      type="time"
      aria-label={label}
      value={value}
      onChange={({ target }) => onChange(target.value)}
      className={inputLook}
    />
  );
}

interface EndsProps {
  readonly sample: SampleOnSheet;
  readonly id: string;
  readonly zone: string;
}

/** When a wait would end for a sample, or why not. */
function EndsAt({ sample, id, zone }: EndsProps) {
  const result = sample.results[id];
  if (result?.kind === 'waited')
    return result.by === 'passed' ? (
      <span className="text-ink-2">at once: {formatDayAndTime(result.until, zone)} has passed</span>
    ) : (
      <span className="text-plum">{formatDayAndTime(result.until, zone)}</span>
    );
  if (result?.kind === 'unsettled') return <span className="text-brick">{result.message}</span>;
  if (result?.kind === 'left_out') return <span className="text-ink-2">not at all: {result.why}</span>;
  return <span className="text-ink-2">not reached</span>;
}
