import { FieldSchema } from '@golden/core';
import { z } from 'zod';
import { AskSchema, AsksSchema } from '../../arrivals/asks.ts';
import { DoorSettingSchema } from '../../doors/setting.ts';
import { HandedFieldsSchema } from '../../handing/start-fields.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';
import { workflow } from '../workflows/routes.ts';

const came = z.object({
  seq: z.int(),
  key: z.string(),
  at: z.string(),
  mediaType: z.string(),
  size: z.int(),
  repeats: z.int(),
  isTest: z.boolean(),
  /** How many fields it has, and which of those that others have it lacks. */
  fields: z.int(),
  lacks: z.array(z.string()),
  /** Fields that no other of the shown ones has. */
  only: z.array(z.string()),
});

/** What was refused. */
export const refusal = z.object({
  seq: z.int(),
  at: z.string(),
  status: z.int(),
  reason: z.string(),
  from: z.string(),
  size: z.int(),
  isKept: z.boolean(),
});

const named = z.string().trim().min(1, 'Give it a name.').max(80);

/** How a workflow begins that asks no app. */
const wayToStart = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('posted'), name: named }),
  z.object({ kind: z.literal('hand'), name: named, asks: AsksSchema }),
  z.object({ kind: z.literal('time'), name: named }),
  z.object({ kind: z.literal('file'), name: named }),
  z.object({ kind: z.literal('mail'), name: named }),
  z.object({ kind: z.literal('form'), name: named }),
  z.object({ kind: z.literal('handed'), name: named, fields: HandedFieldsSchema }),
  z.object({ kind: z.literal('after'), workflow: z.string(), moment: z.enum(['record', 'whole_run', 'run']) }),
]);
export type WayToStart = z.infer<typeof wayToStart>;

/** The routes of this feature. */
export const doorsRoutes = {
  'POST /api/starts': {
    summary:
      'Make a draft that begins otherwise than by asking an app: posted events, mails to an address of its own, files, by hand, at a time, after another workflow',
    body: wayToStart,
    response: workflow,
  },
  'POST /api/workflows/:id/start': {
    summary: 'The saved draft with such a beginning: what it would be, not yet saved',
    body: wayToStart,
    response: z.object({ content: z.looseObject({}) }),
  },
  'POST /api/workflows/:id/telling': {
    summary: 'An address at which an app posts events that only tell of the draft’s records; gives its inbox',
    response: z.object({ inbox: z.string(), canRegister: z.boolean() }),
  },
  'GET /api/workflows/:id/telling': {
    summary: 'Whether the app of the draft’s records can be asked from here to post its events, and the events’ fields',
    query: z.object({ inbox: z.string() }),
    response: z.object({ canRegister: z.boolean(), fields: z.array(FieldSchema) }),
  },
  'POST /api/workflows/:id/telling/register': {
    summary: 'Ask the app of the draft’s records to post its events at this address; gives where they name the record',
    body: z.object({ inbox: z.string() }),
    response: z.object({ id: z.string() }),
  },
  'GET /api/workflows/:id/asks': {
    summary: 'What somebody who begins a workflow by hand is asked for; null where it doesn’t begin so',
    response: z.object({ asks: z.array(AskSchema).nullable() }),
  },
  'POST /api/workflows/:id/typed-in': {
    summary: 'A sample for a draft that is begun by hand, typed in as somebody would who begins it',
    body: z.object({ answers: z.record(z.string(), z.unknown()) }),
    response: ok,
  },
  'POST /api/workflows/:id/begin': {
    summary: 'Begin a live workflow by hand with these answers',
    body: z.object({ answers: z.record(z.string(), z.unknown()) }),
    response: z.object({ run: z.string() }),
  },
  'GET /api/doors/:id': {
    summary: 'The address of a source for posted events, what came there and what was refused',
    response: z.object({
      name: z.string(),
      url: z.string(),
      /** Whether others than this machine reach it. */
      isPublic: z.boolean(),
      /** Whether something has come in by the public address. */
      isProven: z.boolean(),
      setting: DoorSettingSchema,
      waitingUntil: z.string().nullable(),
      counts: z.object({ came: z.int(), repeats: z.int(), refused: z.int() }),
      came: z.array(came),
      refused: z.array(refusal),
    }),
  },
  'PUT /api/doors/:id': {
    summary: 'Change who may post, what tells repeats, and what callers are answered',
    body: z.object({
      setting: DoorSettingSchema,
      secret: z.string().trim().min(8, 'A secret has at least 8 signs.').max(500).optional(),
    }),
    response: ok,
  },
  'POST /api/doors/:id/secret': {
    summary: 'A new secret, told this once; the one before holds no more',
    response: z.object({ secret: z.string() }),
  },
  'POST /api/doors/:id/renew': {
    summary: 'Another address; callers of the old one are told that it is gone',
    response: ok,
  },
  'POST /api/doors/:id/wait': {
    summary: 'Wait for an event, or stop waiting',
    body: z.object({ isWaiting: z.boolean() }),
    response: ok,
  },
  'POST /api/doors/:id/learn': {
    summary: 'Learn the fields anew from some of what came',
    body: z.object({ keys: z.array(z.string()).min(1).max(50) }),
    response: ok,
  },
  'POST /api/doors/:id/again': {
    summary: 'Bring in an event that came again as one of its own',
    body: z.object({ key: z.string() }),
    response: ok,
  },
  'POST /api/doors/:id/test': {
    summary: 'Post a test event from here; it shows the way and starts nothing',
    body: z.object({ mediaType: z.string().max(200), body: z.string().max(100_000) }),
    response: z.object({ status: z.int(), text: z.string() }),
  },
  'GET /api/doors/:id/bodies/:which/:seq': {
    summary: 'What came, or was refused, as it came',
    response: z.object({
      mediaType: z.string(),
      headers: z.record(z.string(), z.string()),
      body: z.string().nullable(),
    }),
  },
  'POST /api/public-address': {
    summary: 'Call the door through the public address, to see whether others reach it',
    response: z.object({ address: z.string(), at: z.string(), trouble: z.string().nullable() }),
  },
  'GET /api/public-address': {
    summary: 'The public address, and what the last call through it came to',
    response: z.object({
      address: z.string(),
      port: z.int(),
      /** Where mails for workflows are handed over. */
      mailPort: z.int(),
      proof: z.object({ address: z.string(), at: z.string(), trouble: z.string().nullable() }).nullable(),
    }),
  },
} satisfies Record<string, Endpoint>;
