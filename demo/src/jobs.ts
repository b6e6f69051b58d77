import type { JobStore } from '@golden/standins';
import { DateTime } from 'luxon';

/** Departments of Saltmarsh Kiln Supply, with what is to be done there; invented. */
export function fillJobs(store: JobStore, now: string): void {
  store.addDepartment({ id: 'shop', name: 'Shop' });
  store.addDepartment({ id: 'workshop', name: 'Workshop' });
  store.addBoard({ id: 'front-desk', department: 'shop', name: 'Front desk', columns: ['To do', 'Doing', 'Done'] });
  store.addBoard({
    id: 'deliveries',
    department: 'shop',
    name: 'Deliveries',
    columns: ['Asked for', 'Planned', 'Delivered'],
  });
  store.addBoard({
    id: 'repairs',
    department: 'workshop',
    name: 'Repairs',
    columns: ['Came in', 'Waits for parts', 'Being repaired', 'Ready', 'Collected'],
  });
  store.addPerson({ email: 'hello@saltmarsh.example', name: 'Front desk' });
  store.addPerson({ email: 'mira@saltmarsh.example', name: 'Mira Holm' });
  store.addPerson({ email: 'workshop@saltmarsh.example', name: 'Tomasz Wrona' });
  const day = (from: number): string => DateTime.fromISO(now).plus({ days: from }).toISODate() ?? '';
  const at = (hoursAgo: number): string => DateTime.fromISO(now).minus({ hours: hoursAgo }).toUTC().toISO() ?? now;
  for (const [board, column, title, person, due, hoursAgo] of tasks)
    store.add(
      { board, column, title, person, due: due === null ? null : day(due), notes: null, mailId: null },
      at(hoursAgo),
    );
}

/** The board and column, what is to be done, by whom, in how many days, and how many hours ago that was written. */
const tasks: readonly (readonly [string, string, string, string | null, number | null, number])[] = [
  ['front-desk', 'To do', 'Call Hollow Oak Studio about their postcode', 'Mira Holm', 1, 20],
  ['front-desk', 'Doing', 'Price list for schools', 'Front desk', 4, 50],
  ['front-desk', 'Done', 'Order labels', null, null, 90],
  ['deliveries', 'Planned', 'Top loader, 60 litres, to Kirkby', 'Tomasz Wrona', 2, 30],
  ['repairs', 'Waits for parts', 'Thermocouple for the Dunmore kiln', 'Tomasz Wrona', 9, 70],
  ['repairs', 'Came in', 'Lid hinge, Bechtelar', null, 3, 6],
];
