import { type OpenSpan, officeWeek, type WorkingCalendar, wholeWeekdays } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { DateTime } from 'luxon';
import { useHolidays } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { inputLook, SelectField, TextField } from '../parts/Field.tsx';

const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const shownHolidays = 8;
const mostSpans = 4;

interface EditorProps {
  readonly calendar: WorkingCalendar;
  readonly countries: Readonly<Record<string, string>>;
  readonly onChange: (calendar: WorkingCalendar) => void;
  readonly onRemove: (() => void) | undefined;
}

/** One working calendar: its hours, its country's holidays, and own days off. */
export function CalendarEditor({ calendar, countries, onChange, onRemove }: EditorProps) {
  const put = (more: Partial<WorkingCalendar>): void => onChange({ ...calendar, ...more });
  return (
    <>
      <div className="flex items-end gap-3">
        <div className="flex-1">
          <TextField label="Name" value={calendar.name} onChange={({ target }) => put({ name: target.value })} />
        </div>
        {onRemove && (
          <Button look="quiet" className="mb-3" onClick={onRemove}>
            Remove this calendar
          </Button>
        )}
      </div>
      <h3 className="mt-1 mb-1 font-sans text-md font-semibold">Open</h3>
      <div className="mb-2 flex flex-wrap gap-2">
        <Button look="quiet" onClick={() => put({ week: officeWeek() })}>
          Monday to Friday, 09:00 to 17:00
        </Button>
        <Button look="quiet" onClick={() => put({ week: wholeWeekdays() })}>
          24 hours, Monday to Friday
        </Button>
      </div>
      <ul className="mb-4 space-y-1">
        {calendar.week.map((spans, at) => (
          <Weekday
            key={weekdays[at]}
            name={weekdays[at] ?? ''}
            spans={spans}
            onChange={(day) => put({ week: calendar.week.with(at, [...day]) })}
          />
        ))}
      </ul>
      <HolidaysOf calendar={calendar} countries={countries} onChange={put} />
      <OwnDaysOff calendar={calendar} onChange={put} />
    </>
  );
}

interface WeekdayProps {
  readonly name: string;
  readonly spans: readonly OpenSpan[];
  readonly onChange: (spans: readonly OpenSpan[]) => void;
}

function Weekday({ name, spans, onChange }: WeekdayProps) {
  const last = spans.at(-1);
  const next: OpenSpan = last && last.to < '23:00' ? { from: last.to, to: '23:00' } : { from: '09:00', to: '17:00' };
  const canAdd = spans.length < mostSpans && (last === undefined || last.to < '23:00');
  return (
    <li className="flex min-h-[32px] flex-wrap items-center gap-2">
      <span className="w-[92px]">{name}</span>
      {spans.length === 0 && <span className="text-ink-2">closed</span>}
      {spans.map((span, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: hours have no other name than their place
        <span key={at} className="flex items-center gap-1">
          <ClockInput
            label={`${name} from`}
            value={span.from}
            onChange={(from) => onChange(spans.with(at, { ...span, from }))}
          />
          <span className="text-ink-2">to</span>
          <ClockInput
            label={`${name} to`}
            value={span.to}
            isEnd
            onChange={(to) => onChange(spans.with(at, { ...span, to }))}
          />
          <Button
            look="quiet"
            aria-label={`Close ${name} ${span.from} to ${span.to}`}
            icon={<X size={14} />}
            onClick={() => onChange(spans.toSpliced(at, 1))}
          />
        </span>
      ))}
      {canAdd && (
        <Button
          look="quiet"
          icon={<Plus size={14} />}
          aria-label={spans.length === 0 ? `Open ${name}` : `More hours on ${name}`}
          onClick={() => onChange([...spans, next])}
        >
          {spans.length === 0 ? 'Open' : 'after a break'}
        </Button>
      )}
    </li>
  );
}

interface ClockProps {
  readonly label: string;
  readonly value: string;
  readonly isEnd?: boolean;
  readonly onChange: (value: string) => void;
}

/** A time of the day; the end of the day is midnight, which browsers write as 00:00. */
function ClockInput({ label, value, isEnd = false, onChange }: ClockProps) {
  return (
    <input
      type="time"
      aria-label={label}
      value={value === '24:00' ? '00:00' : value}
      onChange={({ target }) => {
        if (target.value !== '') onChange(isEnd && target.value === '00:00' ? '24:00' : target.value);
      }}
      className={`${inputLook} w-[104px]`}
    />
  );
}

interface PartProps {
  readonly calendar: WorkingCalendar;
  readonly onChange: (more: Partial<WorkingCalendar>) => void;
}

function HolidaysOf({ calendar, countries, onChange }: PartProps & Pick<EditorProps, 'countries'>) {
  const { data } = useHolidays(calendar.country, calendar.region);
  const today = DateTime.now().toISODate();
  const coming = (data?.days ?? []).filter(({ day }) => day >= today);
  const regions = Object.entries(data?.regions ?? {});
  return (
    <section aria-label="Public holidays">
      <div className="grid grid-cols-2 gap-x-4">
        <SelectField
          label="Public holidays of"
          value={calendar.country}
          onChange={({ target }) => onChange({ country: target.value, region: '' })}
          choices={[
            { value: '', label: 'no country' },
            ...Object.entries(countries)
              .sort(([, one], [, other]) => one.localeCompare(other))
              .map(([value, label]) => ({ value, label })),
          ]}
        />
        {regions.length > 0 && (
          <SelectField
            label="Region"
            value={calendar.region}
            onChange={({ target }) => onChange({ region: target.value })}
            choices={[
              { value: '', label: 'what all regions have' },
              ...regions.map(([value, label]) => ({ value, label })),
            ]}
          />
        )}
      </div>
      {coming.length > 0 && (
        <ul className="mb-4 grid grid-cols-2 gap-x-4 text-sm text-ink-2">
          {coming.slice(0, shownHolidays).map(({ day, name }) => (
            <li key={day}>
              {DateTime.fromISO(day).setLocale('en-GB').toFormat('ccc d LLL yyyy')}: {name}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function OwnDaysOff({ calendar, onChange }: PartProps) {
  const { daysOff } = calendar;
  const put = (at: number, more: Partial<(typeof daysOff)[number]>): void => {
    const one = daysOff[at];
    if (one) onChange({ daysOff: daysOff.with(at, { ...one, ...more }) });
  };
  const today = DateTime.now().toISODate();
  return (
    <section aria-label="Own days off">
      <h3 className="mb-1 font-sans text-md font-semibold">Own days off</h3>
      {daysOff.length === 0 && <p className="text-sm text-ink-2">None, such as stocktaking or a works holiday.</p>}
      <ul className="space-y-1">
        {daysOff.map(({ from, to, name }, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: days off have no other name than their place
          <li key={at} className="flex flex-wrap items-center gap-2">
            <input
              type="date"
              aria-label="First day off"
              value={from}
              onChange={({ target }) =>
                target.value && put(at, { from: target.value, ...(target.value > to && { to: target.value }) })
              }
              className={inputLook}
            />
            <span className="text-ink-2">to</span>
            <input
              type="date"
              aria-label="Last day off"
              value={to}
              onChange={({ target }) => target.value && put(at, { to: target.value })}
              className={inputLook}
            />
            <input
              aria-label="What for"
              placeholder="What for"
              value={name}
              onChange={({ target }) => put(at, { name: target.value })}
              className={`${inputLook} min-w-[160px] flex-1`}
            />
            <Button
              look="quiet"
              aria-label={`Remove the days off from ${from}`}
              icon={<X size={14} />}
              onClick={() => onChange({ daysOff: daysOff.toSpliced(at, 1) })}
            />
          </li>
        ))}
      </ul>
      <Button
        look="quiet"
        className="mt-1"
        icon={<Plus size={14} />}
        onClick={() => onChange({ daysOff: [...daysOff, { from: today, to: today, name: '' }] })}
      >
        Add days off
      </Button>
    </section>
  );
}
