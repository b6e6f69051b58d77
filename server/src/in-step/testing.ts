import type { InStepSetting } from '@golden/core';
import type { Services } from '../services.ts';
import { type PeopleApp, peopleDescription } from '../testing/people-app.ts';
import { InSteps } from './in-steps.ts';

// Small apps in a row, each in step with the next: for tests.

/** What each of the apps is called. */
export const appNames = ['shop', 'index', 'books'] as const;
export type AppName = (typeof appNames)[number];

/** The apps as the product knows them. */
export const chainDescriptions = appNames.map((id) => peopleDescription('lookup', { id: `app_${id}`, title: id }));

/** Connects the apps; gives the connections by their names. */
export async function connectApps(
  { connections }: Services,
  apps: Readonly<Partial<Record<AppName, PeopleApp>>>,
): Promise<Record<string, string>> {
  const made: Record<string, string> = {};
  for (const [name, app] of Object.entries(apps)) {
    const { id } = await connections.add({
      app: `app_${name}`,
      name,
      settings: { address: app.at.url },
      key: 'none',
    });
    made[name] = id;
  }
  return made;
}

/** Keeps the people of two apps in step, and makes that live as a person would: looked at, rehearsed, switched on. */
export async function keepInStep(
  services: Services,
  from: string,
  to: string,
  more: Partial<InStepSetting> = {},
): Promise<string> {
  const inSteps = new InSteps(services);
  const place = (connection: string) => ({ connection, path: ['people'], labels: ['People'] });
  const id = await inSteps.add(place(from), place(to));
  const { row, setting } = await inSteps.get(id);
  await inSteps.accept(id);
  await inSteps.change(id, row.name, { ...setting, ...more });
  await liveAgain(services, id);
  return id;
}

/** Rehearses a pair as it is drafted, and makes it live. */
export async function liveAgain(services: Services, id: string): Promise<void> {
  const inSteps = new InSteps(services);
  await inSteps.rehearse(id);
  const { row } = await inSteps.get(id);
  await services.engine.rehearsals.wait(row.there_id);
  await services.engine.rehearsals.wait(row.here_id);
  await inSteps.makeLive(id);
}
