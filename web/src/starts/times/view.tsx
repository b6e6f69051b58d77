import { type MonthDay, monthNumbers, nextAfter, type TimesTrigger, weekdays } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { ToggleGroup } from 'radix-ui';
import { useEditor } from '../../editor/draft/context.tsx';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { formatDayAndTime } from '../../parts/formats.ts';
import type { SettingProps, TriggerView } from '../view.ts';

const dayNames = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;
const shownNext = 5;

/** A start at set times of the week. */
export const times: TriggerView<'times'> = { label: 'at set times', isForListed: true, Setting };

/** The times and days, and when that is next. */
function Setting({ trigger, onChange }: SettingProps<'times'>) {
  const { zone } = useEditor();
  const { at, days, month } = trigger;
  const change = (index: number, time: string): void => onChange({ ...trigger, at: at.with(index, time) });
  return (
    <div className="flex w-full flex-wrap items-center gap-2">
      {at.map((time, index) => (
        // Two of them may be equal while one is being changed.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <span key={index} className="flex items-center">
          <input
            type="time"
            aria-label={at.length === 1 ? 'At what time' : `At what time, no. ${index + 1}`}
            value={time}
            onChange={(event) => event.target.value && change(index, event.target.value)}
            className={inputLook}
          />
          {at.length > 1 && (
            <Button
              look="quiet"
              aria-label={`Remove ${time}`}
              icon={<X size={14} />}
              onClick={() => onChange({ ...trigger, at: at.toSpliced(index, 1) })}
            />
          )}
        </span>
      ))}
      <Button look="quiet" icon={<Plus size={14} />} onClick={() => onChange({ ...trigger, at: [...at, '12:00'] })}>
        Another time
      </Button>
      <div className="flex w-full flex-wrap items-center gap-2">
        <span className="text-ink-2">on</span>
        <Select
          aria-label="Days of the week or of the month"
          value={month ? 'month' : 'week'}
          onChange={(event) => onChange(event.target.value === 'month' ? monthly(trigger) : weekly(trigger))}
          choices={[
            { value: 'week', label: 'days of the week' },
            { value: 'month', label: 'a day of the month' },
          ]}
        />
        {month ? (
          <OfMonth month={month} onChange={(next) => onChange({ ...trigger, month: next })} />
        ) : (
          <OfWeek days={days} onChange={(next) => onChange({ ...trigger, days: next })} />
        )}
      </div>
      <div className="flex w-full items-center gap-2">
        <span className="text-ink-2">What is missed while this machine is off is</span>
        <Select
          aria-label="What is missed while this machine is off"
          value={trigger.missed ?? 'once'}
          onChange={(event) => onChange(missedAs(trigger, event.target.value === 'skip'))}
          choices={[
            { value: 'once', label: 'done once when it is on again' },
            { value: 'skip', label: 'left out' },
          ]}
        />
      </div>
      <NextTimes trigger={trigger} zone={zone} />
    </div>
  );
}

const weekly = ({ month: _, ...trigger }: TimesTrigger): TimesTrigger => ({ ...trigger, days: [1, 2, 3, 4, 5] });
const monthly = (trigger: TimesTrigger): TimesTrigger => ({ ...trigger, month: { on: { kind: 'day', day: 1 } } });
const missedAs = ({ missed: _, ...trigger }: TimesTrigger, isLeftOut: boolean): TimesTrigger =>
  isLeftOut ? { ...trigger, missed: 'skip' } : trigger;

interface WeekProps {
  readonly days: TimesTrigger['days'];
  readonly onChange: (days: TimesTrigger['days']) => void;
}

function OfWeek({ days, onChange }: WeekProps) {
  return (
    <ToggleGroup.Root
      type="multiple"
      aria-label="On which days"
      value={days.map(String)}
      onValueChange={(chosen) => onChange(weekdays.filter((day) => chosen.includes(String(day))))}
      className="flex overflow-hidden rounded-md border border-line-input"
    >
      {weekdays.map((day) => (
        <ToggleGroup.Item
          key={day}
          value={String(day)}
          aria-label={dayNames[day - 1]}
          className="h-[28px] border-r border-line-2 px-2 text-ink-2 last:border-r-0 data-[state=on]:bg-pine-tint data-[state=on]:font-semibold data-[state=on]:text-pine"
        >
          {dayNames[day - 1]?.slice(0, 2)}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

type Month = NonNullable<TimesTrigger['month']>;

const which = [1, 2, 3, 4, -1] as const;
const whichNames = ['the first', 'the second', 'the third', 'the fourth', 'the last'];
const monthNames = 'January,February,March,April,May,June,July,August,September,October,November,December'.split(',');

interface MonthProps {
  readonly month: Month;
  readonly onChange: (month: Month) => void;
}

function OfMonth({ month, onChange }: MonthProps) {
  const { on, months } = month;
  const kinds: Readonly<Record<MonthDay['kind'], MonthDay>> = {
    day: { kind: 'day', day: 1 },
    last: { kind: 'last' },
    last_working: { kind: 'last_working' },
    weekday: { kind: 'weekday', weekday: 1, which: 1 },
  };
  return (
    <>
      <Select
        aria-label="Which day of the month"
        value={on.kind}
        onChange={(event) => onChange({ ...month, on: kinds[event.target.value as MonthDay['kind']] })}
        choices={[
          { value: 'day', label: 'the day' },
          { value: 'weekday', label: 'a weekday' },
          { value: 'last', label: 'the last day' },
          { value: 'last_working', label: 'the last working day' },
        ]}
      />
      {on.kind === 'day' && (
        <Select
          aria-label="The day’s number"
          data-hint="A month without that day is passed over."
          value={String(on.day)}
          onChange={(event) => onChange({ ...month, on: { kind: 'day', day: Number(event.target.value) } })}
          choices={Array.from({ length: 31 }, (_, at) => ({ value: String(at + 1), label: String(at + 1) }))}
        />
      )}
      {on.kind === 'weekday' && (
        <>
          <Select
            aria-label="Which one of the month"
            value={String(on.which)}
            onChange={(event) => onChange({ ...month, on: { ...on, which: Number(event.target.value) as 1 } })}
            choices={which.map((one, at) => ({ value: String(one), label: whichNames[at] ?? '' }))}
          />
          <Select
            aria-label="Which weekday"
            value={String(on.weekday)}
            onChange={(event) => onChange({ ...month, on: { ...on, weekday: Number(event.target.value) as 1 } })}
            choices={weekdays.map((day) => ({ value: String(day), label: dayNames[day - 1] ?? '' }))}
          />
        </>
      )}
      <span className="text-ink-2">of</span>
      <ToggleGroup.Root
        type="multiple"
        aria-label="Of which months; of each when none is chosen"
        data-hint="Of each month when none is chosen."
        value={(months ?? []).map(String)}
        onValueChange={(chosen) => {
          const some = monthNumbers.filter((one) => chosen.includes(String(one)));
          const { months: _, ...every } = month;
          onChange(some.length === 0 || some.length === 12 ? every : { ...every, months: some });
        }}
        className="flex overflow-hidden rounded-md border border-line-input"
      >
        {monthNumbers.map((one) => (
          <ToggleGroup.Item
            key={one}
            value={String(one)}
            aria-label={monthNames[one - 1]}
            className="h-[28px] border-r border-line-2 px-1.5 text-sm text-ink-2 last:border-r-0 data-[state=on]:bg-pine-tint data-[state=on]:font-semibold data-[state=on]:text-pine"
          >
            {monthNames[one - 1]?.slice(0, 3)}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </>
  );
}

function NextTimes({ trigger, zone }: Pick<SettingProps<'times'>, 'trigger'> & { readonly zone: string }) {
  const next: string[] = [];
  for (let from: string | null = new Date().toISOString(); from !== null && next.length < shownNext; ) {
    from = nextAfter(trigger, from, zone);
    if (from !== null) next.push(from);
  }
  if (next.length === 0) return null;
  return (
    <p className="w-full text-sm text-ink-2">
      Next: {next.map((instant) => formatDayAndTime(instant, zone)).join(', ')} ({zone})
    </p>
  );
}
