import { dateInWords, type Field, type WorkflowVersion } from '@golden/core';
import { DateTime } from 'luxon';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import type { Workflows } from '../workflows.ts';
import { type Arrivals, inboxApp } from './arrivals.ts';

// A start of which only the time counts: each time is a record of its own.

/** What is known of a time, in the workflow's zone. */
export const timeFields: readonly Field[] = [
  { path: '/date', label: 'date', type: 'date' },
  { path: '/time', label: 'time', type: 'text' },
  { path: '/weekday', label: 'weekday', type: 'text' },
  { path: '/month', label: 'month', type: 'text' },
  { path: '/year', label: 'year', type: 'integer' },
  { path: '/words', label: 'date in words', type: 'text' },
];

/** The record of a time. It is known by the instant at which it was due, so that each counts once. */
export function recordOfTime(at: string, zone: string) {
  const here = DateTime.fromISO(at, { zone, locale: 'en-GB' });
  const date = here.toISODate() ?? '';
  return {
    date,
    time: here.toFormat('HH:mm'),
    weekday: here.toFormat('cccc'),
    month: here.toFormat('LLLL'),
    year: here.year,
    words: dateInWords(date),
  };
}

interface Parts {
  readonly connections: Connections;
  readonly workflows: Workflows;
  readonly arrivals: Arrivals;
  readonly db: Db;
}

/** Puts the time at which a workflow is looked at into its inbox, where nothing else comes in by it. */
export async function putTime(
  { connections, workflows, arrivals, db }: Parts,
  workflowId: string,
  number: number,
  at: string,
): Promise<void> {
  const version: WorkflowVersion = await workflows.version(workflowId, number);
  const { source, trigger } = version.content.start;
  if (!source || (trigger.kind !== 'times' && trigger.kind !== 'every')) return;
  const { app } = await connections.get(source.connection);
  if (app !== inboxApp) return;
  const inbox = await db
    .selectFrom('inbox')
    .select('id')
    .where('id', '=', source.path[0] ?? '')
    .executeTakeFirst();
  if (!inbox) return;
  await arrivals.storeRecord(inbox.id, at, recordOfTime(at, version.locale.zone));
}
