import { type JsonRecord, linksIn } from '@golden/core';
import { readBody } from '../../arrivals/read-body.ts';
import { beginForwarding, mailSenders, sendProbe, subjectOf, takeAsConfirmation } from '../../doors/mail/forwarding.ts';
import { seenAtMailDoor } from '../../doors/mail/seen-at-mail-door.ts';
import { bodyAtDoor } from '../../doors/seen-at-door.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { mailDoorRoutes } from './routes.ts';

/** Of a mail so many signs are shown. */
const mostShown = 200_000;

/** Addresses to which mails are sent. */
export function mailDoorHandlers(services: Services) {
  const { db, bytes, mailDoors } = services;
  return {
    'GET /api/mail-doors/:id': async ({ params: { id } }) => {
      const { address, isPublic, setting, forwarding, provenBy } = await mailDoors.of(id);
      const { name } = await db.selectFrom('inbox').select('name').where('id', '=', id).executeTakeFirstOrThrow();
      const probe = forwarding?.probe ?? null;
      return {
        name,
        address,
        isPublic,
        isProven: isPublic && provenBy === address.split('@')[1],
        port: mailDoors.port,
        trouble: mailDoors.trouble,
        setting,
        forwarding: forwarding && {
          mailbox: forwarding.mailbox,
          confirmation: forwarding.confirmation,
          probe: probe && { subject: subjectOf(probe.token), sentAt: probe.sentAt, by: probe.by, cameAt: probe.cameAt },
        },
        senders: await mailSenders(services),
        ...(await seenAtMailDoor(db, bytes, id)),
      };
    },
    'PUT /api/mail-doors/:id': async ({ params, body }) => {
      await mailDoors.change(params.id, body);
      return done;
    },
    'POST /api/mail-doors/:id/renew': async ({ params }) => {
      await mailDoors.renew(params.id);
      return done;
    },
    'POST /api/mail-doors/:id/forwarding': async ({ params, body }) => {
      await beginForwarding(services, params.id, body.mailbox);
      return done;
    },
    'DELETE /api/mail-doors/:id/forwarding': async ({ params }) => {
      await mailDoors.setForwarding(params.id, null);
      return done;
    },
    'POST /api/mail-doors/:id/forwarding/confirmation': async ({ params, body }) => {
      await takeAsConfirmation(services, params.id, body.seq);
      return done;
    },
    'POST /api/mail-doors/:id/forwarding/probe': async ({ params, body }) => ({
      subject: await sendProbe(services, params.id, body.connection),
    }),
    'GET /api/mail-doors/:id/mails/:seq': async ({ params: { id, seq } }) => {
      const { mediaType, body } = await bodyAtDoor(db, bytes, id, false, Number(seq));
      const reading = await readBody(mediaType, body ?? new Uint8Array());
      const record: JsonRecord = reading.ok ? reading.record : {};
      const text = String(record['text'] ?? '').slice(0, mostShown);
      const from = record['from'] as JsonRecord | undefined;
      return {
        from: [from?.['name'], from?.['address']].filter(Boolean).join(', '),
        subject: String(record['subject'] ?? ''),
        text,
        links: linksIn(text),
      };
    },
  } satisfies Handlers<typeof mailDoorRoutes>;
}
