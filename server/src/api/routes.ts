import {
  copyKinds,
  FieldKindSchema,
  FieldSchema,
  fieldTypes,
  itemStates,
  PointerSchema,
  RecordTypeSchema,
  survivorRules,
  unsettledCauses,
  WorkflowContentSchema,
  WorkflowFileSchema,
} from '@golden/core';
import { z } from 'zod';
import { SettingsSchema } from '../settings.ts';
import type { Endpoint } from './endpoint.ts';

const ok = z.object({ ok: z.literal(true) });
/** Plain data whose shape core's types tell: item states, records. */
const data = z.unknown();
const record = z.record(z.string(), z.unknown());

const balance = z.object({
  inSource: z.int(),
  notedEarlier: z.int(),
  takenIn: z.int(),
  items: z.record(z.enum(itemStates), z.int()),
});

const heldBack = z.object({
  kind: z.enum(['surge', 'removed']),
  count: z.int(),
  of: z.int(),
  examples: z.array(z.string()),
  at: z.string(),
});

const identity = z.object({
  app: z.string(),
  origin: z.string(),
  who: z.string().nullable(),
  isTold: z.boolean(),
  label: z.string(),
});

const connection = z.object({
  id: z.string(),
  app: z.string(),
  appTitle: z.string(),
  name: z.string(),
  settings: z.record(z.string(), z.string()),
  /** Scheme, host and port of the app, or a folder. */
  leadsTo: z.string(),
  status: z.enum(['working', 'broken', 'unchecked']),
  message: z.string().nullable(),
  health: z
    .object({
      signedInAs: z.string(),
      sees: z.array(z.string()).readonly(),
      mayRead: z.boolean(),
      mayWrite: z.boolean(),
      places: z
        .array(z.object({ label: z.string(), mayWrite: z.boolean() }))
        .readonly()
        .optional(),
    })
    .nullable(),
  checkedAt: z.string().nullable(),
  createdAt: z.string(),
  /** Present while a person has to say whether this is the same account as before. */
  asked: z.object({ was: identity, now: identity }).nullable(),
  /** False where the app doesn't tell who is signed in. */
  tellsAccount: z.boolean(),
});

/** What a person says of a connection that leads elsewhere now. */
const accountAnswer = {
  account: z.enum(['same', 'other']).optional(),
  /** What becomes of the records that the other account has already, for workflows that start from it. */
  already: z.enum(['taken', 'noted']).optional(),
};

const connectionInput = {
  name: z.string().min(1, 'A connection needs a name.').max(80),
  settings: z.record(z.string(), z.string()),
  key: z.string().optional(),
};

const workflowRow = z.object({
  id: z.string(),
  name: z.string(),
  folder: z.string(),
  note: z.string().nullable(),
  from: z.string(),
  to: z.string(),
  isOn: z.boolean(),
  liveVersion: z.int().nullable(),
  everyMinutes: z.int(),
  nextAt: z.string().nullable(),
  /** True while everything is stopped. */
  isStopped: z.boolean(),
  lastRun: z.object({ id: z.string(), at: z.string(), seconds: z.number().nullable() }).nullable(),
  message: z.string().nullable(),
  today: balance,
  unsettled: z.int(),
  waiting: z.int(),
  /** The last fourteen days, the oldest first. */
  days: z.array(z.object({ day: z.string(), takenIn: z.int(), unsettled: z.int() })),
  /** Why what is stored of it can't be read; null when it can. */
  unreadable: z.string().nullable(),
});

const workflow = z.object({
  id: z.string(),
  content: WorkflowContentSchema,
  folder: z.string(),
  rev: z.int(),
  savedAt: z.string(),
  liveVersion: z.int().nullable(),
  newestVersion: z.int(),
  isDraftChanged: z.boolean(),
  isOn: z.boolean(),
  nextAt: z.string().nullable(),
  /** True while everything is stopped. */
  isStopped: z.boolean(),
  lastCheckedAt: z.string().nullable(),
  message: z.string().nullable(),
  /** Records that a change of their place has stopped; they go on with the version made live next. */
  stopped: z.int(),
});

const run = z.object({
  id: z.string(),
  workflowId: z.string(),
  version: z.int(),
  kind: z.enum(['first', 'check', 'asked', 'single']),
  state: z.enum(['listing', 'working', 'done', 'stopped', 'broken']),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  repeats: z.int(),
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
  /** When it goes on by itself, while it waits for an app. */
  wakeAt: z.string().nullable(),
  /** Core's ItemState. */
  detail: data,
});

const sheetQuery = z.object({
  state: z.enum(itemStates).optional(),
  from: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});

const rehearsal = z.object({
  scope: z.enum(['samples', 'last_200', 'all']),
  state: z.enum(['running', 'done', 'stopped', 'broken']),
  isOfThisDraft: z.boolean(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  total: z.int(),
  message: z.string().nullable(),
  balance,
  writes: z.record(z.string(), z.record(z.string(), z.int())),
});

const sample = z.object({
  id: z.string(),
  record,
  created: z.string().optional(),
  updated: z.string().optional(),
  origin: z.enum(['real', 'made_up', 'list']),
  isOnSheet: z.boolean().optional(),
});
const foundRecord = z.object({ id: z.string(), title: z.string(), record });

const place = z.object({ connection: z.string(), path: z.array(z.string()).min(1), labels: z.array(z.string()) });
const change = z.object({ kind: z.enum(['added', 'removed', 'changed']), text: z.string() });
const drift = z.object({
  sentence: z.string(),
  gone: z
    .array(
      z.object({
        path: z.string(),
        label: z.string(),
        affects: z.array(z.string()).readonly(),
        proposal: z.object({ path: z.string(), label: z.string(), why: z.string() }).optional(),
      }),
    )
    .readonly(),
  optionsGone: z.array(z.object({ label: z.string(), options: z.array(z.string()).readonly() })).readonly(),
  retyped: z.array(z.object({ label: z.string(), from: z.string(), to: z.string() })).readonly(),
  newlyRequired: z.array(z.string()).readonly(),
  added: RecordTypeSchema.shape.fields.readonly(),
  isStopping: z.boolean(),
});
const path = z.object({ path: z.union([z.string(), z.array(z.string())]).optional() });

const decision = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('retry') }),
  z.object({ kind: z.literal('send_again'), step: z.string() }),
  z.object({ kind: z.literal('set'), step: z.string(), values: z.record(z.string(), z.string()) }),
  z.object({ kind: z.literal('choose'), step: z.string(), id: z.string() }),
  z.object({ kind: z.literal('new'), step: z.string() }),
  z.object({ kind: z.literal('accept'), step: z.string() }),
  z.object({ kind: z.literal('leave_gone'), step: z.string() }),
  z.object({ kind: z.literal('dismiss'), reason: z.string().min(1, 'Say why it is dismissed.').max(500) }),
]);

const placeKey = z.object({ connection: z.string(), path: z.array(z.string()).min(1) });
const evidenceOf = z.array(z.string()).readonly();
const matchCase = z.object({
  step: z.string(),
  place: z.array(z.string()).readonly(),
  app: z.string(),
  singular: z.string(),
  why: z.string(),
  fields: z
    .array(
      z.object({
        path: z.string(),
        label: z.string(),
        known: z.string(),
        values: z
          .array(
            z.object({
              text: z.string(),
              said: z.string().nullable(),
              bits: z.number(),
              bearing: z.enum(['agrees', 'alike', 'differs', 'empty']).nullable(),
            }),
          )
          .readonly(),
      }),
    )
    .readonly(),
  candidates: z
    .array(
      z.object({
        id: z.string(),
        title: z.string(),
        probability: z.number().nullable(),
        link: z.string().nullable(),
        for: evidenceOf,
        against: evidenceOf,
        ruleSame: z.string().nullable(),
        ruleNew: z.string().nullable(),
      }),
    )
    .readonly(),
  sure: z.number(),
  somebodyNew: z.number().nullable(),
  mayCreate: z.boolean(),
  mayMerge: z.boolean(),
});
const searchProgress = z.object({
  phase: z.enum(['finding pairs', 'learning weights', 'weighing pairs', 'grouping']),
  done: z.number(),
  of: z.number(),
});
const survivorChoice = z.union([z.object({ rule: z.enum(survivorRules) }), z.object({ from: z.string() })]);
const searchRow = z.object({
  id: z.string(),
  connectionId: z.string().nullable(),
  labels: z.array(z.string()),
  state: z.enum(['running', 'done', 'stopped', 'broken']),
  progress: searchProgress.nullable(),
  message: z.string().nullable(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  figures: z
    .object({
      records: z.int(),
      comparedPairs: z.int(),
      shareOfPairs: z.number(),
      estimatedLoss: z.number(),
    })
    .nullable(),
  groups: z.int(),
  open: z.int(),
});
const linkRow = z.object({
  id: z.string(),
  from: z.object({ connection: z.string(), place: z.array(z.string()), id: z.string() }),
  to: z.object({ connection: z.string(), place: z.array(z.string()), id: z.string() }),
  title: z.string().nullable(),
  fromUrl: z.string().nullable(),
  toUrl: z.string().nullable(),
  origin: z.enum(['found', 'created', 'chosen', 'imported', 'corrected']),
  probability: z.number().nullable(),
  madeAt: z.string(),
});

/** Bytes of a body that holds a workflow with its tables, or many records. */
const large = 8 * 1024 * 1024;
/** Bytes of a body that holds a file. */
const wholeFile = 48 * 1024 * 1024;

/** Every route of the interface, declared once. */
export const routes = {
  'GET /api/settings': { summary: 'The workspace', response: SettingsSchema },
  'PUT /api/settings': { summary: 'Change the workspace', body: SettingsSchema, response: SettingsSchema },
  'GET /api/today': {
    summary: 'What needs a person, and each workflow’s day',
    response: z.object({
      balance,
      needs: z.array(
        z.object({
          cause: z.enum(unsettledCauses),
          workflowId: z.string(),
          workflow: z.string(),
          /** Null when records of several runs need it, or the source itself couldn’t be read. */
          runId: z.string().nullable(),
          /** Records that wait; none when the source itself can’t be read. */
          count: z.int(),
          message: z.string(),
          since: z.string(),
          connectionId: z.string().nullable(),
          /** What a check was held for, and what a person says to it. */
          held: heldBack.nullable(),
        }),
      ),
      workflows: z.array(workflowRow),
      /** Connections that don’t answer for the moment, and are tried again by themselves. */
      pauses: z.array(
        z.object({
          connectionId: z.string(),
          connection: z.string(),
          reason: z.string(),
          since: z.string(),
          until: z.string(),
          /** Records that wait for it. */
          count: z.int(),
        }),
      ),
      /** Why nothing can be stored for the moment, such as a full disk. */
      trouble: z.string().nullable(),
      /** Since when everything is stopped, and why. */
      stopped: z.object({ since: z.string(), why: z.string() }).nullable(),
      /** The last time in which nothing was asked, until somebody has put it away. */
      off: z.object({ from: z.string(), to: z.string(), caughtUp: z.int(), on: z.int(), asked: z.int() }).nullable(),
    }),
  },
  'GET /api/backups': {
    summary: 'Copies of the data file that lie beside it, the newest first',
    response: z.object({
      folder: z.string(),
      copies: z.array(z.object({ name: z.string(), at: z.string(), bytes: z.int() })),
      trouble: z.string().nullable(),
    }),
  },
  'POST /api/backups': {
    summary: 'Make a copy of the data file now',
    response: z.object({ name: z.string(), at: z.string(), bytes: z.int() }),
  },
  'POST /api/stop': {
    summary: 'Stop all that asks, wakes and sends by itself',
    body: z.object({ why: z.string().trim().max(200) }),
    response: ok,
  },
  'POST /api/go-on': { summary: 'Let everything go on', response: ok },
  'POST /api/off/seen': { summary: 'Put the note of an off time away', response: ok },
  'GET /api/apps': {
    summary: 'Apps that can be connected',
    response: z.array(
      z.object({
        id: z.string(),
        title: z.string(),
        holds: z.string(),
        /** True when a person signs in at the app itself instead of giving a key. */
        signsIn: z.boolean(),
        /** True when a person describes what is called there. */
        isCalled: z.boolean(),
        settings: z.array(
          z.object({
            name: z.string(),
            label: z.string(),
            hint: z.string().optional(),
            isSecret: z.boolean(),
            isOptional: z.boolean().optional(),
            value: z.string().optional(),
          }),
        ),
        makesPlaces: z.boolean(),
        /** The screens of a practice app. */
        screens: z.string().optional(),
      }),
    ),
  },
  'GET /api/connections': { summary: 'All connections', response: z.array(connection) },
  'POST /api/connections': {
    summary: 'Connect an app',
    body: z.object({ app: z.string(), ...connectionInput }),
    response: connection,
  },
  'POST /api/workflows/:id/payload': {
    summary: 'What the draft would send for a record at one of its writes, exactly as the app gets it; nothing is sent',
    body: z.object({ step: z.string(), sourceId: z.string(), record }),
    mostBody: large,
    response: z.object({
      body: data.nullable(),
      isExact: z.boolean(),
      problem: z.string().nullable(),
      /** What the app made of this record when it was last written for real. */
      made: record.nullable(),
    }),
  },
  'POST /api/sign-ins': {
    summary: 'Begin signing in at an app; the answer says where to send the person',
    body: z.object({
      app: z.string(),
      name: connectionInput.name,
      settings: connectionInput.settings,
      mayWrite: z.boolean(),
      id: z.string().optional(),
    }),
    response: z.object({ url: z.string(), state: z.string() }),
  },
  'GET /api/sign-ins/:state': {
    summary: 'How a sign-in stands',
    response: z.object({
      state: z.enum(['waiting', 'done', 'failed']),
      connection: connection.nullable(),
      message: z.string().nullable(),
    }),
  },
  'GET /api/connections/:id': {
    summary: 'One connection, and where it is used',
    response: connection.extend({
      usedBy: z.array(z.object({ id: z.string(), name: z.string(), isRead: z.boolean(), isWritten: z.boolean() })),
      waiting: z.int(),
    }),
  },
  'PUT /api/connections/:id': {
    summary: 'Change a connection; where it leads elsewhere, it has to be said whether that is the same account',
    body: z.object({ ...connectionInput, ...accountAnswer }),
    response: connection,
  },
  'POST /api/connections/:id/account': {
    summary: 'Say whether who is signed in now is the same account as before',
    body: z.object({ ...accountAnswer, account: z.enum(['same', 'other']) }),
    response: connection,
  },
  'DELETE /api/connections/:id': { summary: 'Remove a connection that nothing uses', response: ok },
  'POST /api/connections/:id/check': {
    summary: 'Ask the app again, and retry what waits for it',
    response: connection,
  },
  'GET /api/connections/:id/place-from-link': {
    summary: 'The place that a pasted link leads to; null when it leads to none of this app',
    query: z.object({ link: z.string().max(2000) }),
    response: z.object({ place: z.object({ path: z.array(z.string()), labels: z.array(z.string()) }).nullable() }),
  },
  'POST /api/connections/:id/taken': {
    summary: 'Which of these values other records of a place have already in a field',
    body: z.object({ path: z.array(z.string()), field: PointerSchema, values: z.array(z.string()).max(50) }),
    response: z.object({ taken: z.array(z.string()) }),
  },
  'GET /api/connections/:id/places': {
    summary: 'The choices below a place',
    query: path,
    response: z.array(
      z.object({
        id: z.string(),
        label: z.string(),
        isPlace: z.boolean(),
        holds: z.int().optional(),
        remark: z.string().optional(),
      }),
    ),
  },
  'POST /api/connections/:id/places': {
    summary: 'Make a file or a tab with these columns',
    body: z.object({
      above: z.array(z.string()),
      name: z.string().min(1, 'Give it a name.').max(120),
      tab: z.string().optional(),
      columns: z.array(z.string()).min(1, 'Give it at least one column.').max(300),
    }),
    response: z.object({ path: z.array(z.string()) }),
  },
  'POST /api/connections/:id/columns': {
    summary: 'Add columns to a place',
    body: z.object({ path: z.array(z.string()), names: z.array(z.string().min(1)).min(1) }),
    response: ok,
  },
  'GET /api/connections/:id/place': {
    summary: 'What stands in a place: its fields, how much it holds, its first records',
    query: path,
    response: z.object({
      described: RecordTypeSchema,
      holds: z.int().nullable(),
      first: z.array(record),
      /** The page of the app where a person makes a new record. */
      newAt: z.string().nullable(),
      /** True when columns can be added from here. */
      canAddColumns: z.boolean(),
    }),
  },
  'GET /api/workflows': { summary: 'All workflows', response: z.array(workflowRow) },
  'POST /api/workflows': {
    summary: 'A new workflow',
    body: z.object({ name: z.string().min(1).max(120) }),
    response: workflow,
  },
  'POST /api/workflows/from-choices': {
    summary: 'A whole draft from three choices: from, to, and the kind of copy',
    body: z.object({ from: place, to: place, kind: z.enum(copyKinds), folder: z.string().max(60).optional() }),
    response: workflow,
  },
  'POST /api/workflows/import/look': {
    summary: 'What an exported file holds, and which connections have to be chosen',
    body: z.object({ text: z.string() }),
    mostBody: large,
    response: z.object({
      name: z.string(),
      note: z.string().nullable(),
      sentences: z.array(z.string()),
      connections: z.array(
        z.object({
          id: z.string(),
          app: z.string(),
          appTitle: z.string(),
          name: z.string(),
          here: z.string().nullable(),
          /** What the workflow does through it, in a few words each. */
          does: z.array(z.string()),
        }),
      ),
    }),
  },
  'POST /api/workflows/import': {
    summary: 'A new draft from an exported file, with these connections',
    body: z.object({ text: z.string(), connections: z.record(z.string(), z.string()) }),
    mostBody: large,
    response: workflow,
  },
  'GET /api/ready': {
    summary: 'Ready-made workflows to start from',
    response: z.array(z.object({ id: z.string(), name: z.string(), note: z.string().nullable() })),
  },
  'GET /api/ready/:id': { summary: 'A ready-made workflow as a file', response: WorkflowFileSchema },
  'GET /api/workflows/:id/export': { summary: 'The draft as a file; it holds no key', response: WorkflowFileSchema },
  'POST /api/workflows/:id/duplicate': { summary: 'A second draft that says the same', response: workflow },
  'GET /api/workflows/:id/stored': {
    summary: 'What is stored of a workflow, as it is, also where it can’t be read',
    response: z.object({ draft: z.string(), versions: z.array(z.object({ number: z.int(), content: z.string() })) }),
  },
  'PUT /api/workflows/:id/folder': {
    summary: 'Put it into a folder',
    body: z.object({ folder: z.string().max(60) }),
    response: ok,
  },
  'GET /api/workflows/:id/versions': {
    summary: 'What changed from version to version, in sentences, the newest first',
    response: z.object({
      /** The draft against the newest version. */
      draft: z.array(change),
      versions: z.array(
        z.object({
          number: z.int(),
          createdAt: z.string(),
          isLive: z.boolean(),
          runs: z.int(),
          items: z.int(),
          changes: z.array(change),
          sentences: z.array(z.string()),
        }),
      ),
    }),
  },
  'GET /api/workflows/:id/versions/:number': {
    summary: 'The content of a version',
    response: z.object({ content: WorkflowContentSchema }),
  },
  'GET /api/workflows/:id/drift': {
    summary: 'How the draft’s places differ from what it was built on',
    response: z.array(z.object({ sentence: z.string(), place: z.string(), drift, now: RecordTypeSchema })),
  },
  'GET /api/workflows/:id/swap': {
    summary: 'The draft with another connection in the place of one, and what differs there',
    query: z.object({ from: z.string(), to: z.string() }),
    response: z.object({ content: WorkflowContentSchema, differences: z.array(z.string()) }),
  },
  'POST /api/workflows/:id/try': {
    summary: 'Try one sentence alone over the samples; nothing is written',
    body: z.object({ step: z.string() }),
    response: z.array(z.object({ sourceId: z.string(), title: z.string(), state: z.enum(itemStates), detail: data })),
  },
  'GET /api/workflows/:id': { summary: 'One workflow with its draft', response: workflow },
  'DELETE /api/workflows/:id': { summary: 'Remove a workflow that is off', response: ok },
  'PUT /api/workflows/:id/draft': {
    summary: 'Save the draft made from revision `rev`',
    body: z.object({ content: WorkflowContentSchema, rev: z.int() }),
    mostBody: large,
    response: workflow,
  },
  'GET /api/workflows/:id/samples': {
    summary: 'The samples kept to build with',
    query: z.object({ anew: z.enum(['yes']).optional() }),
    response: z.array(sample),
  },
  'GET /api/workflows/:id/profile': {
    summary: 'What each field of the source holds, over its last thousand records',
    response: z.array(
      z.object({
        field: FieldSchema,
        count: z.int(),
        filled: z.number(),
        distinct: z.number(),
        frequent: z.array(z.object({ value: z.string(), count: z.int() })).readonly(),
        examples: z.array(z.string()).readonly(),
        longest: z.int(),
        looksLike: z.enum(fieldTypes),
        fitness: z.enum(['fit', 'weak', 'unfit']),
        isCutShort: z.boolean(),
      }),
    ),
  },
  'GET /api/workflows/:id/samples/search': {
    summary: 'Records of the source in which a text occurs',
    query: z.object({ text: z.string() }),
    response: z.array(foundRecord),
  },
  'POST /api/workflows/:id/samples': {
    summary: 'Add samples: records of the source by id, or records made up or taken from a list',
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('chosen'), ids: z.array(z.string()).min(1).max(200) }),
      z.object({
        kind: z.literal('own'),
        origin: z.enum(['made_up', 'list']),
        records: z.array(record).min(1).max(500),
      }),
    ]),
    mostBody: large,
    response: ok,
  },
  'PUT /api/workflows/:id/samples/:sample': {
    summary: 'Put a sample on the sheet, take it off, or leave it to how awkward it is',
    body: z.object({ isOnSheet: z.boolean().nullable() }),
    response: ok,
  },
  'DELETE /api/workflows/:id/samples/:sample': { summary: 'Remove a sample', response: ok },
  'POST /api/workflows/:id/samples/listen': { summary: 'Note what is there, to tell what comes', response: ok },
  'GET /api/workflows/:id/samples/heard': {
    summary: 'What has come since listening began; it is a sample from then on',
    response: z.array(foundRecord),
  },
  'GET /api/workflows/:id/counts': {
    summary: 'How many records each starting point means',
    query: z.object({ since: z.string().optional() }),
    response: z.object({
      all: z.int(),
      since: z.int().optional(),
      days: z.array(z.object({ day: z.string(), count: z.int() })).readonly(),
    }),
  },
  'POST /api/workflows/:id/rehearsal': {
    summary: 'Rehearse the draft; nothing is written',
    body: z.object({ scope: z.enum(['samples', 'last_200', 'all']) }),
    response: ok,
  },
  'GET /api/workflows/:id/rehearsal': { summary: 'The last rehearsal', response: rehearsal.nullable() },
  'DELETE /api/workflows/:id/rehearsal': { summary: 'Stop the rehearsal', response: ok },
  'GET /api/workflows/:id/rehearsal/items': {
    summary: 'The rehearsal’s sheet',
    query: sheetQuery,
    response: z.array(sheetRow),
  },
  'POST /api/workflows/:id/send-one': {
    summary: 'Send one sample for real, on a version frozen from the draft',
    body: z.object({ sourceId: z.string() }),
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
  'GET /api/workflows/:id/usual': {
    summary: 'Above how many records a check is held, by what came so far',
    response: z.object({ limit: z.int() }),
  },
  'POST /api/workflows/:id/let-in': {
    summary: 'Let in what a check was held for, or count it as known; bound to the count that was shown',
    body: z.object({ kind: z.enum(['surge', 'removed']), count: z.int(), answer: z.enum(['take', 'note']) }),
    response: z.object({ run: z.string() }),
  },
  'POST /api/workflows/:id/live': {
    summary: 'Make the draft the live version and switch on; `seen` is how many a person was shown to lie between',
    query: z.object({ seen: z.coerce.number().int().min(0).optional() }),
    response: z.object({ version: z.int(), run: z.string() }),
  },
  'POST /api/workflows/:id/on': { summary: 'Switch the live version on again', response: ok },
  'POST /api/workflows/:id/off': { summary: 'Switch off', response: ok },
  'POST /api/workflows/:id/check': { summary: 'Ask the source now', response: z.object({ run: z.string() }) },
  'GET /api/workflows/:id/runs': { summary: 'The runs, the newest first', response: z.array(run) },
  'GET /api/runs/:id': {
    summary: 'One run with the version it ran',
    response: run.extend({
      content: WorkflowContentSchema,
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
      mayTakeBack: z.boolean(),
    }),
  },
  'GET /api/decide': {
    summary: 'Everything that waits for a decision',
    response: z.array(
      z.object({
        id: z.string(),
        workflowId: z.string(),
        workflow: z.string(),
        runId: z.string(),
        title: z.string(),
        cause: z.enum(unsettledCauses),
        message: z.string(),
        step: z.string(),
        takenAt: z.string(),
        connectionId: z.string().nullable(),
        source: z.string(),
        sourceLink: z.string().nullable(),
      }),
    ),
  },
  'GET /api/items/:id/case': {
    summary: 'An unclear match, field by field; null for what waits for another reason',
    response: matchCase.nullable(),
  },
  'POST /api/items/:id/rule': {
    summary: 'What deciding like this from now on would mean; with `take` it is taken',
    body: z.object({ candidate: z.string(), says: z.enum(['same', 'new']), take: z.boolean() }),
    response: z.object({
      text: z.string(),
      settles: z.array(z.object({ id: z.string(), title: z.string(), candidate: z.string().nullable() })).readonly(),
      /** The version that has the rule, once it is taken and live. */
      version: z.int().nullable(),
    }),
  },
  'POST /api/items/:id/merge': {
    summary: 'Two candidates are one: they are merged there, and the record goes on with the one that stays',
    body: z.object({ step: z.string(), survivor: z.string(), others: z.array(z.string()).min(1).max(7) }),
    response: ok,
  },
  'GET /api/workflows/:id/lookups': {
    summary: 'What the saved draft’s lookups find for each sample, by sample and step',
    response: z.record(z.string(), z.record(z.string(), data)),
  },
  'GET /api/workflows/:id/weights': {
    summary: 'What the decisions so far would make of a sentence’s weights',
    query: z.object({ step: z.string() }),
    response: z
      .object({
        now: z.int().nullable(),
        decisions: z.int(),
        changes: z
          .array(z.object({ label: z.string(), level: z.string(), before: z.number(), after: z.number() }))
          .readonly(),
        verdicts: z
          .array(
            z.object({
              title: z.string(),
              candidate: z.string(),
              before: z.number(),
              after: z.number(),
              isSame: z.boolean(),
            }),
          )
          .readonly(),
      })
      .nullable(),
  },
  'POST /api/workflows/:id/weights': {
    summary: 'Take the weights that the decisions make, under a number of their own, into the draft',
    body: z.object({ step: z.string() }),
    response: z.object({ number: z.int() }),
  },
  'POST /api/connections/:id/identifiers': {
    summary: 'How well each field of a place tells its records apart, over all of them',
    body: z.object({ path: z.array(z.string()).min(1) }),
    response: z.object({
      count: z.int(),
      fields: z.array(
        z.object({
          path: z.string(),
          label: z.string(),
          filled: z.number(),
          distinct: z.number(),
          /** Values that more than one record has. */
          shared: z.int(),
          fitness: z.enum(['fit', 'weak', 'unfit']),
        }),
      ),
    }),
  },
  'GET /api/links': {
    summary: 'Which record is remembered to be which, the newest first',
    query: z.object({ search: z.string().default(''), workflow: z.string().optional() }),
    response: z.object({ total: z.int(), links: z.array(linkRow) }),
  },
  'PUT /api/links/:id': {
    summary: 'Correct a link: it leads to another record of the same place',
    body: z.object({ toId: z.string().min(1, 'Say which record it is.') }),
    response: ok,
  },
  'DELETE /api/links/:id': { summary: 'Cut a link: the next change looks for its record again', response: ok },
  'POST /api/links/import': {
    summary: 'Links that another system has already: lines of two ids, from and to',
    body: z.object({ from: placeKey, to: placeKey, text: z.string().max(20_000_000) }),
    mostBody: wholeFile,
    response: z.object({ taken: z.int(), left: z.array(z.string()) }),
  },
  'GET /api/duplicates': { summary: 'Searches for duplicates, the newest first', response: z.array(searchRow) },
  'POST /api/duplicates': {
    summary: 'Search a place or a file for duplicates',
    body: z.discriminatedUnion('kind', [
      z.object({
        kind: z.literal('place'),
        place: placeKey,
        labels: z.array(z.string()),
        kinds: z.record(z.string(), FieldKindSchema).optional(),
      }),
      z.object({
        kind: z.literal('file'),
        name: z.string().max(200),
        /** The file itself, in base64. */
        bytes: z.string(),
        kinds: z.record(z.string(), FieldKindSchema).optional(),
      }),
    ]),
    mostBody: wholeFile,
    response: z.object({ id: z.string() }),
  },
  'GET /api/duplicates/:id': {
    summary: 'A search with what it took the fields for',
    response: searchRow.extend({
      fields: z.array(
        z.object({
          path: z.string(),
          label: z.string(),
          kind: FieldKindSchema,
          because: z.string(),
          /** Part of a golden record: what a person or another app fills, not the app itself. */
          isMerged: z.boolean(),
        }),
      ),
      canMerge: z.boolean(),
    }),
  },
  'DELETE /api/duplicates/:id': { summary: 'Stop a search, or forget one that ended', response: ok },
  'GET /api/duplicates/:id/groups': {
    summary: 'What a search found, the surest first',
    query: z.object({
      state: z.enum(['open', 'settled']).optional(),
      from: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(200).default(100),
    }),
    response: z.array(
      z.object({
        id: z.string(),
        probability: z.number(),
        isAsked: z.boolean(),
        state: z.enum(['open', 'merging', 'merged', 'different', 'undone', 'unsure']),
        message: z.string().nullable(),
        survivor: z.string().nullable(),
        records: z.array(
          z.object({ id: z.string(), title: z.string(), record, url: z.string().nullable(), links: z.int() }),
        ),
      }),
    ),
  },
  'POST /api/duplicates/groups/:id/settle': {
    summary: 'Make one record of a group, or keep its records apart',
    body: z.discriminatedUnion('kind', [
      z.object({
        kind: z.literal('merge'),
        survivor: z.string(),
        usual: z.enum(survivorRules),
        choices: z.record(z.string(), survivorChoice),
      }),
      z.object({ kind: z.literal('different') }),
    ]),
    response: ok,
  },
  'POST /api/duplicates/groups/:id/undo': { summary: 'Take back how a group was settled', response: ok },
  'POST /api/duplicates/:id/settle-above': {
    summary: 'Merge every open group that is at least so sure',
    body: z.object({ line: z.number().min(0.5).max(1), usual: z.enum(survivorRules) }),
    response: z.object({ merged: z.int(), left: z.int() }),
  },
  'GET /api/merges': {
    summary: 'What was merged, the newest first; each can be undone',
    response: z.array(
      z.object({
        id: z.string(),
        place: z.array(z.string()),
        connectionId: z.string(),
        survivor: z.object({ id: z.string(), title: z.string().nullable() }),
        others: z.array(z.string()),
        state: z.enum(['merging', 'merged', 'undoing', 'undone', 'unsure']),
        message: z.string().nullable(),
        madeAt: z.string(),
      }),
    ),
  },
  'POST /api/merges/:id/undo': { summary: 'Put everything of a merge back as it was', response: ok },
  'GET /api/duplicates/:id/export': {
    summary: 'The records of all groups as CSV',
    response: z.object({ name: z.string(), text: z.string() }),
  },
  'POST /api/items/:id/decide': { summary: 'Settle an item', body: decision, response: ok },
  'POST /api/items/:id/take-newest': { summary: 'Take the newest change, dismiss the earlier ones', response: ok },
  'POST /api/items/:id/take-up': { summary: 'Take a cancelled item up again', response: ok },
  'POST /api/items/:id/take-back': { summary: 'Undo what the item wrote', response: ok },
} satisfies Record<string, Endpoint>;
export type Routes = typeof routes;
