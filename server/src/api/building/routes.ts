import { FieldSchema, fieldTypes, itemStates, RecordTypeSchema, WorkflowContentSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { data, documentPreview, large, ok, record } from '../schemas.ts';

const sample = z.object({
  id: z.string(),
  record,
  created: z.string().optional(),
  updated: z.string().optional(),
  origin: z.enum(['real', 'made_up', 'list']),
  isOnSheet: z.boolean().optional(),
});

const foundRecord = z.object({ id: z.string(), title: z.string(), record });

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

/** The routes of this feature. */
export const buildingRoutes = {
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
      /** The document that would be made. */
      document: documentPreview.nullable(),
    }),
  },
  'GET /api/workflows/:id/drift': {
    summary: 'How the draft’s places differ from what it was built on',
    response: z.array(z.object({ sentence: z.string(), place: z.string(), drift, now: RecordTypeSchema })),
  },
  'GET /api/workflows/:id/gone': {
    summary: 'The draft’s places that aren’t there any more, each with what it is likely called by now',
    response: z.array(
      z.object({
        sentence: z.string(),
        place: z.string(),
        message: z.string(),
        likely: z
          .array(z.object({ path: z.array(z.string()), labels: z.array(z.string()), why: z.string() }))
          .readonly(),
      }),
    ),
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
    response: z.object({
      all: z.int(),
      startable: z.int(),
      today: z.string(),
      days: z.array(z.object({ day: z.string(), count: z.int() })).readonly(),
    }),
  },
} satisfies Record<string, Endpoint>;
