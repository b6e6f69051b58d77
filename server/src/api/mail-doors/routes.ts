import { z } from 'zod';
import { MailDoorSettingSchema } from '../../doors/mail/setting.ts';
import { refusal } from '../doors/routes.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';

const cameMail = z.object({
  seq: z.int(),
  key: z.string(),
  at: z.string(),
  repeats: z.int(),
  from: z.string(),
  subject: z.string(),
  /** Who or what wrote it. */
  kind: z.string(),
  /** What it was to the setting up of forwarding; null for a mail like any. */
  is: z.enum(['probe', 'confirmation']).nullable(),
});

/** Addresses to which mails are sent. */
export const mailDoorRoutes = {
  'GET /api/mail-doors/:id': {
    summary:
      'The address of a source for mails, how far forwarding to it has come, what came there and what was refused',
    response: z.object({
      name: z.string(),
      address: z.string(),
      /** Whether others than this machine reach it. */
      isPublic: z.boolean(),
      /** Whether a mail has come in by the domain that others reach. */
      isProven: z.boolean(),
      port: z.int(),
      /** Why no mails are taken at all; null where they are. */
      trouble: z.string().nullable(),
      setting: MailDoorSettingSchema,
      forwarding: z
        .object({
          mailbox: z.string(),
          confirmation: z.object({ seq: z.int(), links: z.array(z.string()), codes: z.array(z.string()) }).nullable(),
          probe: z
            .object({
              subject: z.string(),
              sentAt: z.string(),
              by: z.string().nullable(),
              cameAt: z.string().nullable(),
            })
            .nullable(),
        })
        .nullable(),
      /** Connections through which a test mail can be sent. */
      senders: z.array(z.object({ id: z.string(), name: z.string(), address: z.string() })),
      counts: z.object({ came: z.int(), repeats: z.int(), refused: z.int() }),
      came: z.array(cameMail),
      refused: z.array(refusal),
    }),
  },
  'PUT /api/mail-doors/:id': {
    summary: 'Change who may send, and whose checks of senders count',
    body: MailDoorSettingSchema,
    response: ok,
  },
  'POST /api/mail-doors/:id/renew': {
    summary: 'Another address; who sends to the old one is told that it is gone',
    response: ok,
  },
  'POST /api/mail-doors/:id/forwarding': {
    summary: 'Begin to set up that a mailbox sends its mails on to this address',
    body: z.object({ mailbox: z.string().max(254) }),
    response: ok,
  },
  'DELETE /api/mail-doors/:id/forwarding': {
    summary: 'End the setting up of forwarding; the address stays',
    response: ok,
  },
  'POST /api/mail-doors/:id/forwarding/confirmation': {
    summary: 'Say which mail asked for the confirmation; it is no record from then on',
    body: z.object({ seq: z.int() }),
    response: ok,
  },
  'POST /api/mail-doors/:id/forwarding/probe': {
    summary: 'Send a test mail to the mailbox through a connection, or have a person send it; gives its subject',
    body: z.object({ connection: z.string().nullable() }),
    response: z.object({ subject: z.string() }),
  },
  'GET /api/mail-doors/:id/mails/:seq': {
    summary: 'A mail that came, as text, with the addresses that stand in it',
    response: z.object({ from: z.string(), subject: z.string(), text: z.string(), links: z.array(z.string()) }),
  },
} satisfies Record<string, Endpoint>;
