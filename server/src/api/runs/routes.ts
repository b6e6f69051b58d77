import { itemStates, marks, unsettledCauses, WorkflowContentSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { balance, data, ok, record } from '../schemas.ts';

const run = z.object({
  id: z.string(),
  workflowId: z.string(),
  version: z.int(),
  kind: z.enum(['first', 'check', 'asked', 'single']),
  state: z.enum(['listing', 'working', 'done', 'stopped', 'broken']),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  repeats: z.int(),
  /** Of what it took in, records of which no event had told. */
  neverPosted: z.int(),
  /** Of what was known already, changes that workflows of ours had made. */
  own: z.int(),
  /** True where a person chose its records. */
  isOfChosen: z.boolean(),
  message: z.string().nullable(),
  /** When its listing goes on by itself, while the app can’t be asked. */
  wakeAt: z.string().nullable(),
  note: z.string().nullable(),
  balance,
});

const sheetRow = z.object({
  id: z.string(),
  sourceId: z.string(),
  title: z.string(),
  state: z.enum(itemStates),
  cause: z.enum(unsettledCauses).nullable(),
  message: z.string().nullable(),
  /** When it goes on by itself, while it waits. */
  wakeAt: z.string().nullable(),
  /** True where it waits for an app that is tried again; else for a time, an event or a person. */
  waitsForApp: z.boolean(),
  /** Core's ItemState. */
  detail: data,
});

const sheetQuery = z.object({
  state: z.enum(itemStates).optional(),
  from: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});

const rehearsalQuery = sheetQuery.extend({
  mark: z.enum(marks).optional(),
  /** Words that stand in the record or in what it would become. */
  search: z.string().max(200).optional(),
});

const plannedChange = z.object({
  record: z.string(),
  title: z.string(),
  step: z.string(),
  what: z.enum(['new', 'changed', 'emptied', 'asked', 'kept', 'removed']),
  field: z.string(),
  before: z.unknown(),
  after: z.unknown(),
});

const rehearsal = z.object({
  scope: z.enum(['samples', 'last_200', 'all', 'chosen']),
  state: z.enum(['running', 'done', 'stopped', 'broken']),
  isOfThisDraft: z.boolean(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  total: z.int(),
  message: z.string().nullable(),
  balance,
  writes: z.record(z.string(), z.record(z.string(), z.int())),
  /** How many records came to each of these. */
  marks: z.record(z.enum(marks), z.int()),
});

const decision = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('retry') }),
  z.object({ kind: z.literal('send_again'), step: z.string() }),
  z.object({ kind: z.literal('set'), step: z.string(), values: z.record(z.string(), z.unknown()) }),
  z.object({ kind: z.literal('choose'), step: z.string(), id: z.string() }),
  z.object({ kind: z.literal('new'), step: z.string() }),
  z.object({ kind: z.literal('accept'), step: z.string() }),
  z.object({ kind: z.literal('leave_gone'), step: z.string() }),
  z.object({ kind: z.literal('remove'), step: z.string() }),
  z.object({ kind: z.literal('dismiss'), reason: z.string().min(1, 'Say why it is dismissed.').max(500) }),
]);

const overdue = z.enum(['send', 'stop']).optional();

/** Ids of workflows at the other end of handing over that are switched on with it, with commas between. */
const also = z.string().max(2000).optional();

/** What became of each of several workflows: null where it was switched, else why it was left. */
export const switched = z.array(z.object({ id: z.string(), name: z.string(), why: z.string().nullable() }));

/** The routes of this feature. */
export const runsRoutes = {
  'POST /api/workflows/:id/rehearsal': {
    summary: 'Rehearse the draft; nothing is written',
    body: z.object({ scope: z.enum(['samples', 'last_200', 'all', 'chosen']) }),
    response: ok,
  },
  'GET /api/workflows/:id/rehearsal': { summary: 'The last rehearsal', response: rehearsal.nullable() },
  'DELETE /api/workflows/:id/rehearsal': { summary: 'Stop the rehearsal', response: ok },
  'GET /api/workflows/:id/rehearsal/items': {
    summary: 'The rehearsal’s sheet',
    query: rehearsalQuery,
    response: z.array(sheetRow),
  },
  'GET /api/workflows/:id/rehearsal/changes': {
    summary: 'What would change, field by field, before and after',
    query: rehearsalQuery,
    response: z.array(plannedChange),
  },
  'GET /api/workflows/:id/rehearsal/changes-file': {
    summary: 'What would change, as a file: CSV (RFC 4180) or a workbook, in base 64',
    query: z.object({ format: z.enum(['csv', 'xlsx']) }),
    response: z.object({ name: z.string(), base64: z.string() }),
  },
  'POST /api/workflows/:id/send-one': {
    summary: 'Send one sample for real, on a version frozen from the draft',
    body: z.object({
      sourceId: z.string(),
      /** The address, or the telephone number in E.164, to which its messages go instead of to whom they are meant. */
      instead: z
        .email()
        .or(z.string().regex(/^\+[1-9]\d{6,14}$/, 'Write the number with its country, such as +441632960771.'))
        .optional(),
    }),
    response: z.object({ itemId: z.string() }),
  },
  'GET /api/workflows/:id/between': {
    summary: 'What lies between the last check and now, and what becomes of it if the draft goes live',
    response: z.object({
      begins: z.enum(['first', 'source', 'from_when']).nullable(),
      fromWhen: z.unknown(),
      lastCheckedAt: z.string().nullable(),
      between: z.object({ count: z.int(), titles: z.array(z.string()) }).nullable(),
      isTaken: z.boolean(),
    }),
  },
  'GET /api/workflows/:id/waiters': {
    summary: 'What would become of those who wait on earlier versions if the draft went on with them',
    response: z.object({
      total: z.int(),
      canGoOn: z.int(),
      waitAnew: z.int(),
      atOnce: z.int(),
      stay: z.array(z.object({ why: z.string(), count: z.int() })),
    }),
  },
  'GET /api/workflows/:id/not-covered': {
    summary: 'What may happen to its records later that the draft doesn’t carry on, and what sees to it already',
    response: z.array(
      z.object({
        kind: z.enum(['removed', 'changed', 'becomes']),
        path: z.string().optional(),
        label: z.string().optional(),
        value: z.string().optional(),
        by: z.object({ id: z.string(), name: z.string() }).nullable(),
      }),
    ),
  },
  'POST /api/workflows/:id/cover': {
    summary: 'A workflow beside it that tells of what it doesn’t cover, or a draft that carries it on',
    body: z.object({
      what: z.discriminatedUnion('kind', [
        z.object({ kind: z.literal('removed') }),
        z.object({ kind: z.literal('becomes'), path: z.string(), label: z.string(), value: z.string() }),
      ]),
      how: z.enum(['tell', 'add']),
    }),
    response: z.object({ id: z.string(), name: z.string() }),
  },
  'GET /api/workflows/:id/also-writes': {
    summary: 'Fields that the draft writes and another live workflow writes as well',
    response: z.array(
      z.object({
        step: z.string(),
        path: z.string(),
        label: z.string(),
        place: z.string(),
        workflow: z.string(),
        name: z.string(),
      }),
    ),
  },
  'GET /api/workflows/:id/usual': {
    summary: 'Above how many records a check is held, by what came so far',
    response: z.object({ limit: z.int() }),
  },
  'POST /api/workflows/:id/let-in': {
    summary: 'Let in what a check was held for, or count it as known; bound to the count that was shown',
    body: z.object({ kind: z.enum(['surge', 'removed']), count: z.int(), answer: z.enum(['take', 'note']) }),
    response: z.object({ run: z.string() }),
  },
  'GET /api/workflows/:id/days': {
    summary: 'The last days of a workflow: records taken in then, by their outcome now, the oldest first',
    query: z.object({ count: z.coerce.number().int().min(1).max(90).default(14) }),
    response: z.array(z.object({ day: z.string(), items: z.record(z.enum(itemStates), z.int()) })),
  },
  'POST /api/workflows/:id/live': {
    summary: 'Make the draft the live version and switch on; `seen` is how many a person was shown to lie between',
    query: z.object({
      seen: z.coerce.number().int().min(0).optional(),
      overdue,
      /** What becomes of those who wait on earlier versions: they stay on theirs, or it goes on with those that it can. */
      waiting: z.enum(['stays', 'goes_on']).default('stays'),
      also,
    }),
    response: z.object({ version: z.int(), run: z.string(), also: switched }),
  },
  'POST /api/workflows/:id/on': {
    summary: 'Switch the live version on again; `overdue` is what becomes of what was due while it was off',
    query: z.object({ overdue, also }),
    response: z.object({ also: switched }),
  },
  'POST /api/workflows/:id/off': {
    summary: 'Switch off: nothing new comes in, and what waits is held unless `waiting` says that it goes on',
    query: z.object({ waiting: z.enum(['held', 'goes_on']).default('held') }),
    response: ok,
  },
  'POST /api/workflows/:id/check': { summary: 'Ask the source now', response: z.object({ run: z.string() }) },
  'GET /api/workflows/:id/records': {
    summary: 'Records of a live workflow’s source in which a text occurs, or the newest, with which of them were sent',
    query: z.object({ text: z.string() }),
    response: z.array(
      z.object({ id: z.string(), title: z.string(), isSent: z.boolean(), when: z.string().nullable() }),
    ),
  },
  'POST /api/workflows/:id/these': {
    summary: 'Take in these records of the source, as they are now, whatever of them was known',
    body: z.object({ ids: z.array(z.string()).min(1).max(500) }),
    response: z.object({ run: z.string() }),
  },
  'GET /api/workflows/:id/runs': { summary: 'The runs, the newest first', response: z.array(run) },
  'GET /api/runs/:id': {
    summary: 'One run with the version it ran',
    response: run.extend({
      content: WorkflowContentSchema,
      /** What its source was asked for, and how many of its records are known by now. */
      asked: z.object({
        for: z.enum(['all', 'changes', 'chosen', 'told']),
        since: z.string().nullable(),
        known: z.int(),
      }),
      writes: z.record(z.string(), z.record(z.string(), z.int())),
    }),
  },
  'GET /api/runs/:id/items': { summary: 'The run’s sheet', query: sheetQuery, response: z.array(sheetRow) },
  'POST /api/runs/:id/stop': { summary: 'Stop a run', response: ok },
  'GET /api/items/:id': {
    summary: 'One record on its way: what happened to it, step by step',
    response: sheetRow.extend({
      workflowId: z.string(),
      runId: z.string(),
      version: z.int(),
      takenAt: z.string(),
      endedAt: z.string().nullable(),
      content: WorkflowContentSchema,
      journal: z.array(z.object({ at: z.string(), kind: z.string(), step: z.string().nullable(), content: data })),
      /** Where each written record can be seen, by step. */
      links: z.record(z.string(), z.string()),
      sourceLink: z.string().nullable(),
      sent: z.record(z.string(), z.object({ sent: record, read: record.nullable() })),
      /** Since when what it held isn't kept any more. */
      emptiedAt: z.string().nullable(),
      mayTakeBack: z.boolean(),
    }),
  },
  'POST /api/items/:id/decide': { summary: 'Settle an item', body: decision, response: ok },
  'POST /api/items/:id/take-newest': { summary: 'Take the newest change, dismiss the earlier ones', response: ok },
  'POST /api/items/:id/take-up': { summary: 'Take a cancelled item up again', response: ok },
  'POST /api/items/:id/take-back': {
    summary: 'Undo what the item wrote; with `leavesSent` what it sent to somebody stays sent',
    body: z.object({ leavesSent: z.boolean().default(false) }).default({ leavesSent: false }),
    response: ok,
  },
} satisfies Record<string, Endpoint>;
