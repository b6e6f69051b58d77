import { FieldSchema } from '@golden/core';
import { z } from 'zod';
import { FileSettingSchema } from '../../arrivals/files/setting.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok, wholeFile } from '../schemas.ts';

const given = z.object({
  name: z.string().min(1).max(200),
  /** The file itself, in base64. */
  bytes: z.string(),
});

const cameFile = z.object({
  seq: z.int(),
  name: z.string(),
  at: z.string(),
  came: z.enum(['dropped', 'watched']),
  state: z.enum(['reading', 'read', 'refused']),
  reason: z.string().nullable(),
  /** What its records are called: "rows". */
  plural: z.string().nullable(),
  rows: z.int(),
  added: z.int(),
  changed: z.int(),
  same: z.int(),
  twice: z.int(),
  /** Records that are too large to be taken in. */
  refused: z.int(),
  /** How often the same file came again. */
  repeats: z.int(),
  /** Since when the file itself isn't kept any more. */
  emptied_at: z.string().nullable(),
});

/** The routes of this feature. */
export const filesRoutes = {
  'GET /api/workflows/:id/files': {
    summary: 'The inbox into which files for a workflow are dropped, live or as its draft; null where it takes none',
    response: z.object({ inbox: z.string().nullable() }),
  },
  'GET /api/files/:id': {
    summary: 'How an inbox takes in files, and the newest that have come',
    response: z.object({
      setting: FileSettingSchema,
      trouble: z.string().nullable(),
      /** New files of the folder that aren't taken, for workflows of ours write them. */
      own: z.array(z.string()),
      fields: z.array(FieldSchema),
      files: z.array(cameFile),
    }),
  },
  'PUT /api/files/:id': {
    summary: 'Change by what records are recognised, or which folder is watched; what isn’t named stays',
    body: FileSettingSchema.partial(),
    response: ok,
  },
  'POST /api/files/:id/look': {
    summary: 'What a file would bring, with nothing stored',
    body: given,
    mostBody: wholeFile,
    response: z.object({
      repeatOf: z.object({ name: z.string(), at: z.string() }).nullable(),
      plural: z.string(),
      rows: z.int(),
      added: z.int(),
      changed: z.int(),
      same: z.int(),
      twice: z.int(),
      against: z.string().nullable(),
      sharing: z.array(z.string()),
      fields: z.array(FieldSchema),
      shown: z.array(
        z.object({ at: z.string(), kind: z.enum(['added', 'changed']), record: z.record(z.string(), z.unknown()) }),
      ),
    }),
  },
  'POST /api/files/:id/take': {
    summary: 'Take a file in',
    body: given.extend({ isEvenSo: z.boolean() }),
    mostBody: wholeFile,
    response: cameFile,
  },
  'POST /api/files/:id/even-so': {
    summary: 'Take in a file that was refused',
    body: z.object({ seq: z.int() }),
    response: ok,
  },
  'POST /api/files/:id/again': {
    summary: 'Bring in all records of a file once more',
    body: z.object({ seq: z.int() }),
    response: ok,
  },
  'POST /api/files/:id/folder': {
    summary: 'Look into the watched folder now',
    response: z.object({
      taken: z.int(),
      growing: z.int(),
      own: z.array(z.string()),
      trouble: z.string().nullable(),
    }),
  },
} satisfies Record<string, Endpoint>;
