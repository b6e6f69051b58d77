import { PointerSchema } from '@golden/core';
import { z } from 'zod';

// What is set of a door: the address at which one kind of event comes in.

/** A name as HTTP has them for headers (RFC 9110, section 5.1). */
const HeaderName = z
  .string()
  .trim()
  .toLowerCase()
  .max(100)
  .regex(/^[!#$%&'*+.^_`|~0-9a-z-]+$/, 'This can’t be the name of a header: it has letters, digits and hyphens.');

/** Who may post. */
export const AccessSchema = z.discriminatedUnion('kind', [
  /** Whoever has the address. */
  z.object({ kind: z.literal('anybody') }),
  /** Who sends a secret in a header. */
  z.object({ kind: z.literal('secret'), header: HeaderName }),
  /** Who signs by Standard Webhooks 1.0: HMAC-SHA-256 over id, time and body. */
  z.object({ kind: z.literal('standard') }),
  /** Who signs in a way of their own, by HMAC (RFC 2104). */
  z.object({
    kind: z.literal('signature'),
    header: HeaderName,
    algorithm: z.enum(['sha1', 'sha256', 'sha512']),
    encoding: z.enum(['hex', 'base64']),
    /** What stands before the signature, such as "sha256=". */
    prefix: z.string().max(20),
    /** What is signed: a text with {body}, and {time} and {id} where those come in headers. */
    signs: z
      .string()
      .max(100)
      .refine((text) => text.includes('{body}'), 'What is signed has to hold {body}.'),
    timeHeader: HeaderName.optional(),
    idHeader: HeaderName.optional(),
  }),
]);
export type Access = z.infer<typeof AccessSchema>;

/** What makes an event the same as one that came before. */
export const EventIdSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('header'), name: HeaderName }),
  z.object({ kind: z.literal('field'), path: PointerSchema }),
  /** The same body within so many minutes. */
  z.object({ kind: z.literal('body'), minutes: z.int().min(1).max(1440) }),
  /** Nothing: each one counts. */
  z.object({ kind: z.literal('none') }),
]);
export type EventId = z.infer<typeof EventIdSchema>;

/** What is set of a door. */
export const DoorSettingSchema = z.object({
  access: AccessSchema,
  /** Networks from which alone may be posted, as addresses or in CIDR notation (RFC 4632); all when empty. */
  networks: z.array(z.string().trim().min(1).max(50)).max(50),
  eventId: EventIdSchema,
  /** Whether a GET with parameters is an event too. */
  allowsGet: z.boolean(),
  /** What the caller is answered once the event is stored. */
  answer: z.object({ status: z.literal([200, 201, 202, 204]), text: z.string().max(2000) }),
});
export type DoorSetting = z.infer<typeof DoorSettingSchema>;

/** Proposed for a new door: a secret in a header; nobody gets in who only knows the address. */
export const newDoorSetting: DoorSetting = {
  access: { kind: 'secret', header: 'x-secret' },
  networks: [],
  eventId: { kind: 'none' },
  allowsGet: false,
  answer: { status: 202, text: '' },
};
