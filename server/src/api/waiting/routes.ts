import { WorkingCalendarSchema } from '@golden/core';
import { z } from 'zod';
import { CalendarsSchema } from '../../calendars.ts';
import type { Endpoint } from '../endpoint.ts';
import { allWaiting, allWaitingQuery } from './all.ts';

const day = z.iso.date();

const dueRow = z.object({
  /** The item; of a rehearsal its place on the sheet. */
  id: z.string(),
  /** The run it is part of; null in a rehearsal. */
  runId: z.string().nullable(),
  title: z.string(),
  /** Until when it waits now; null in a rehearsal, and where it waits for something else. */
  until: z.string().nullable(),
  /** What it waits for, or why it ended. */
  message: z.string().nullable(),
  cells: z.array(
    z.object({
      step: z.string(),
      at: z.string(),
      kind: z.enum(['done', 'due', 'asks']),
      message: z.string().optional(),
    }),
  ),
});

const due = z.object({
  zone: z.string(),
  /** The steps that are shown, by their id, with a short name. */
  steps: z.record(z.string(), z.string()),
  days: z.array(
    z.object({
      day,
      /** Why it is closed; null where it is open. */
      closed: z.string().nullable(),
      /** Records whose next step is due then. */
      count: z.int(),
    }),
  ),
  rows: z.array(dueRow),
  total: z.int(),
  /** How many are in it now, and what became of the others of the last days. */
  counts: z.object({ waiting: z.int(), unsettled: z.int(), endedEarly: z.int(), overdue: z.int() }),
});

const calendars = z.object({
  calendars: CalendarsSchema,
  /** Countries whose holidays are known, by their code. */
  countries: z.record(z.string(), z.string()),
  /** The same with every day off of the next years named, as they are counted by. */
  open: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      week: WorkingCalendarSchema.shape.week,
      off: z.record(z.string(), z.string()),
    }),
  ),
});

const dueQuery = z.object({
  search: z.string().max(200).default(''),
  /** What waits now, or what was rehearsed. */
  of: z.enum(['now', 'rehearsal']).default('now'),
  from: z.iso.date().optional(),
});

/** The routes of this feature. */
export const waitingRoutes = {
  'GET /api/waiting': {
    summary: 'Who waits, in whatever workflow, the next first',
    query: allWaitingQuery,
    response: allWaiting,
  },
  'GET /api/workflows/:id/due': { summary: 'Who gets what, when', query: dueQuery, response: due },
  'POST /api/workflows/:id/due': {
    summary: 'Send what waits now, put it off by days, or stop it',
    body: z.object({
      items: z.array(z.string()).min(1).max(1000),
      act: z.discriminatedUnion('kind', [
        z.object({ kind: z.literal('now') }),
        z.object({ kind: z.literal('stop'), why: z.string().trim().max(200).default('') }),
        z.object({ kind: z.literal('put_off'), days: z.int().min(1).max(365) }),
      ]),
    }),
    response: z.object({ count: z.int() }),
  },
  'GET /api/calendars': { summary: 'The working calendars', response: calendars },
  'PUT /api/calendars': { summary: 'Change the working calendars', body: CalendarsSchema, response: calendars },
  'GET /api/holidays': {
    summary: 'The public holidays of a country or a region of it, from this year on, and its regions',
    query: z.object({ country: z.string().max(2), region: z.string().max(10).default('') }),
    response: z.object({
      regions: z.record(z.string(), z.string()),
      days: z.array(z.object({ day, name: z.string() })),
    }),
  },
} satisfies Record<string, Endpoint>;
