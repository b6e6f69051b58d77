import { laterBy, officeWeek } from '@golden/core';
import { holidayCountries, holidayRegions, holidaysIn } from '@golden/core/holidays';
import { loadCalendars, openCalendars, saveCalendars } from '../../calendars.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { WaitingAct } from '../../engine/parks.ts';
import type { Services } from '../../services.ts';
import type { Handlers } from '../endpoint.ts';
import { waitingEverywhere } from './all.ts';
import { dueOf } from './due.ts';
import type { waitingRoutes } from './routes.ts';

/** Holidays are shown so many years ahead. */
const yearsShown = 1;

/** What waits, and the calendars by which it is counted. */
export function waitingHandlers(services: Services) {
  const { db, engine, seams, events } = services;
  const view = async () => ({
    calendars: await loadCalendars(db),
    countries: holidayCountries(),
    open: (await openCalendars(db, seams.now())).map(({ week, ...open }) => ({
      ...open,
      week: week.map((day) => [...day]),
    })),
  });
  return {
    'GET /api/waiting': ({ query }) => waitingEverywhere(services, query),
    'GET /api/workflows/:id/due': ({ params, query }) => dueOf(services, params.id, query),
    'POST /api/workflows/:id/due': async ({ params, body }) => ({
      count: await act(services, params.id, body.items, body.act),
    }),
    'GET /api/calendars': view,
    'PUT /api/calendars': async ({ body }) => {
      await saveCalendars(db, body);
      events.tell({ topic: 'workspace' });
      return view();
    },
    'GET /api/holidays': ({ query }) => {
      const year = Number(seams.now().slice(0, 4));
      const regions = holidayRegions(query.country);
      const region = regions[query.region] === undefined ? '' : query.region;
      const found = holidaysIn(query.country, region, [year, year + yearsShown]);
      const days = Object.entries(found).map(([day, name]) => ({ day, name }));
      return Promise.resolve({ regions, days: days.sort((x, y) => (x.day < y.day ? -1 : 1)) });
    },
  } satisfies Handlers<typeof waitingRoutes>;

  /** Each item is put off from when it is due itself, in its workflow's zone. */
  async function act(
    { workflows }: Services,
    workflowId: string,
    items: readonly string[],
    what: { kind: 'now' } | { kind: 'stop'; why: string } | { kind: 'put_off'; days: number },
  ): Promise<number> {
    const own = await db
      .selectFrom('item')
      .select(['id', 'wake_at'])
      .where('workflow_id', '=', workflowId)
      .where('id', 'in', [...items])
      .execute();
    const { isOn, draft } = await workflows.get(workflowId);
    if (what.kind === 'now' && !isOn) throw new NotPossible('The workflow is off. Switch it on first.');
    const count = async (ids: readonly string[], one: WaitingAct): Promise<number> => engine.actOnWaiting(ids, one);
    const ids = own.map(({ id }) => id);
    if (what.kind === 'now') return count(ids, { kind: 'now' });
    if (what.kind === 'stop') return count(ids, { kind: 'stop', why: what.why || 'Stopped by a person.' });
    const { zone } = await workflows.locale(draft);
    const anyHours = { id: '', name: '', week: officeWeek(), off: {} };
    let done = 0;
    for (const { id, wake_at } of own) {
      if (wake_at === null) continue;
      const late = laterBy(Date.parse(wake_at), { amount: what.days, unit: 'days' }, anyHours, zone);
      done += await count([id], { kind: 'put_off', until: new Date(late).toISOString() });
    }
    return done;
  }
}
