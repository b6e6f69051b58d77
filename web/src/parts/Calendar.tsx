import { DayPicker } from 'react-day-picker';
import { firstDayOfWeek } from './custom.ts';

interface CalendarProps {
  readonly date: string;
  readonly country: string;
  readonly until: string | undefined;
  readonly onChoose: (date: string) => void;
}

const toDate = (date: string): Date => {
  const [year, month, day] = date.split('-').map(Number) as [number, number, number];
  return new Date(year, month - 1, day);
};

const twoFigures = (part: number): string => String(part).padStart(2, '0');
const fromDate = (date: Date): string =>
  `${date.getFullYear()}-${twoFigures(date.getMonth() + 1)}-${twoFigures(date.getDate())}`;

const day = 'size-8 rounded-md hover:bg-pine-faint';

/** A month to pick a day from; loaded when it is first opened. */
export function Calendar({ date, country, until, onChoose }: CalendarProps) {
  const chosen = date === '' ? undefined : toDate(date);
  return (
    <DayPicker
      mode="single"
      autoFocus
      selected={chosen}
      defaultMonth={chosen ?? (until === undefined ? new Date() : toDate(until))}
      onSelect={(picked) => picked && onChoose(fromDate(picked))}
      weekStartsOn={firstDayOfWeek(country)}
      captionLayout="dropdown"
      disabled={until === undefined ? undefined : { after: toDate(until) }}
      startMonth={new Date(2000, 0)}
      endMonth={until === undefined ? undefined : toDate(until)}
      classNames={{
        months: 'relative',
        month_caption: 'flex h-8 items-center gap-2 pr-16 font-medium',
        dropdowns: 'flex gap-1',
        dropdown_root: 'relative inline-flex items-center',
        dropdown: 'absolute inset-0 w-full cursor-pointer opacity-0',
        caption_label: 'inline-flex items-center gap-1',
        nav: 'absolute top-0 right-0 flex gap-1',
        button_previous: day,
        button_next: day,
        chevron: 'inline size-4 fill-current',
        weekday: 'size-8 text-sm font-normal text-ink-2',
        day: 'p-0 text-center',
        day_button: day,
        selected: 'rounded-md bg-pine text-pine-on',
        today: 'font-semibold',
        outside: 'text-ink-3',
        disabled: 'text-ink-3',
      }}
    />
  );
}
