import { useState } from 'react';
import { useCalendars } from '../api/queries.ts';
import { CalendarsDrawer } from '../calendars/CalendarsDrawer.tsx';
import { Button } from '../parts/Button.tsx';

/** The calendars by which waits are counted. */
export function WorkingHours() {
  const [isOpen, setOpen] = useState(false);
  const names = useCalendars().data?.calendars.map(({ name }) => name) ?? [];
  return (
    <section aria-labelledby="working-hours" className="mt-8">
      <h2 id="working-hours" className="mb-2 text-xl">
        Working hours and days off
      </h2>
      <p className="mb-3 text-sm text-ink-2">Working hours and working days in workflows are counted by these.</p>
      <p className="mb-3">{names.join(', ')}</p>
      <Button onClick={() => setOpen(true)}>Change them</Button>
      <CalendarsDrawer isOpen={isOpen} onClose={() => setOpen(false)} />
    </section>
  );
}
