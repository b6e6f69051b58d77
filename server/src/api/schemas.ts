import { itemStates } from '@golden/core';
import { z } from 'zod';

// What several features of the interface answer alike.

export const ok = z.object({ ok: z.literal(true) });

export const data = z.unknown();

export const record = z.record(z.string(), z.unknown());

/** A document as it would be made; its bytes in Base64. */
export const documentPreview = z.object({
  name: z.string(),
  bytes: z.string(),
  paragraphs: z
    .array(z.array(z.object({ text: z.string(), isFilled: z.boolean() })).readonly())
    .readonly()
    .nullable(),
  problems: z.array(z.string()).readonly(),
  remarks: z.array(z.string()).readonly(),
});

export const balance = z.object({
  inSource: z.int(),
  notedEarlier: z.int(),
  takenIn: z.int(),
  items: z.record(z.enum(itemStates), z.int()),
});

export const workflowRow = z.object({
  id: z.string(),
  name: z.string(),
  folder: z.string(),
  note: z.string().nullable(),
  from: z.string(),
  to: z.string(),
  isOn: z.boolean(),
  liveVersion: z.int().nullable(),
  /** When its source is looked at, in words. */
  when: z.string(),
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

export const placeKey = z.object({ connection: z.string(), path: z.array(z.string()).min(1) });

/** Bytes of a body that holds a whole draft or a file of one. */
export const large = 8 * 1024 * 1024;

/** Bytes of a body that holds a whole file as base64. */
export const wholeFile = 48 * 1024 * 1024;
