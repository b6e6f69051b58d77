import { usualCalendar, type WorkingCalendar, WorkingCalendarSchema } from '@golden/core';
import { Plus } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../api/client.ts';
import { useAction, useCalendars, useSettings } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { Loading } from '../parts/Messages.tsx';
import { CalendarEditor } from './CalendarEditor.tsx';

interface DrawerProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** The working calendars, over whatever one is doing. */
export function CalendarsDrawer({ isOpen, onClose }: DrawerProps) {
  return (
    <Drawer title="Working hours and days off" isOpen={isOpen} onClose={onClose} isWide>
      {isOpen && <Calendars onSaved={onClose} />}
    </Drawer>
  );
}

/** What is wrong with a calendar, in its first sentence. */
const faultOf = (calendar: WorkingCalendar): string | undefined =>
  WorkingCalendarSchema.safeParse(calendar).error?.issues[0]?.message;

function Calendars({ onSaved }: { readonly onSaved: () => void }) {
  const { data } = useCalendars();
  const country = useSettings().data?.country ?? '';
  const [calendars, setCalendars] = useState<readonly WorkingCalendar[]>();
  const [at, setAt] = useState(0);
  useEffect(() => {
    if (data) setCalendars((now) => now ?? data.calendars);
  }, [data]);
  const save = useAction(
    (given: readonly WorkingCalendar[]) => call('PUT /api/calendars', { body: [...given] }),
    'Saved. It counts for what waits already as well.',
  );
  const shown = calendars?.[Math.min(at, calendars.length - 1)];
  if (!data || !calendars || !shown) return <Loading what="the calendars" />;
  const add = (): void => {
    const name = `Calendar ${calendars.length + 1}`;
    setCalendars([...calendars, { ...usualCalendar(country), id: crypto.randomUUID(), name }]);
    setAt(calendars.length);
  };
  const put = (one: WorkingCalendar): void =>
    setCalendars(calendars.map((other) => (other.id === one.id ? one : other)));
  const faults = calendars.map(faultOf);
  const fault = faults.find(Boolean);
  return (
    <>
      <fieldset aria-label="Calendars" className="mb-3 flex flex-wrap items-center gap-1.5">
        {calendars.map((one, index) => (
          <button
            key={one.id}
            type="button"
            aria-pressed={one.id === shown.id}
            onClick={() => setAt(index)}
            className={`rounded-md border px-2.5 py-1 ${one.id === shown.id ? 'border-pine bg-pine-tint font-medium' : 'border-line-1 bg-raised'}`}
          >
            {one.name || 'Without a name'}
          </button>
        ))}
        <Button look="quiet" icon={<Plus size={14} />} onClick={add}>
          Another calendar
        </Button>
      </fieldset>
      <CalendarEditor
        key={shown.id}
        calendar={shown}
        countries={data.countries}
        onChange={put}
        onRemove={
          calendars.length > 1
            ? () => {
                setCalendars(calendars.filter(({ id }) => id !== shown.id));
                setAt(0);
              }
            : undefined
        }
      />
      <div className="mt-5 flex items-center gap-3">
        <Button
          look="main"
          disabled={save.isPending || fault !== undefined}
          onClick={() => save.mutate(calendars, { onSuccess: onSaved })}
        >
          Save the calendars
        </Button>
        {fault && (
          <p role="alert" className="text-sm text-brick">
            {calendars.length > 1 && `${calendars[faults.indexOf(fault)]?.name}: `}
            {fault}
          </p>
        )}
      </div>
    </>
  );
}
