import type { Field } from '@golden/core';
import { recordOfAnswers } from '../../arrivals/asks.ts';
import { askedBy, beginningOf, begunByHand } from '../../arrivals/beginnings.ts';
import { expectNotAfter } from '../../arrivals/relays.ts';
import { testHeader } from '../../doors/door-app.ts';
import { bodyAtDoor, seenAtDoor } from '../../doors/seen-at-door.ts';
import { DoorSettingSchema } from '../../doors/setting.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { viewWorkflow } from '../workflows/view-workflow.ts';
import type { doorsRoutes } from './routes.ts';

/** Of a body so many signs are shown. */
const mostShown = 200_000;

/** Addresses at which events are posted. */
export function doorHandlers(services: Services) {
  const { db, workflows, doors, bytes, arrivals, engine, seams, publicAddress, connections, mailDoors } = services;
  const canRegister = async (connection: string): Promise<boolean> =>
    (await connections.connector(connection)).subscribe !== undefined;
  return {
    'POST /api/starts': async ({ body }) => {
      const content = await beginningOf(services, body);
      return viewWorkflow(services, (await workflows.add(content)).id);
    },
    'POST /api/workflows/:id/start': async ({ params, body }) => {
      const { draft } = await workflows.get(params.id);
      if (body.kind === 'after') await expectNotAfter(services, params.id, draft.name, body.workflow);
      const { start } = await beginningOf(services, body);
      return { content: { ...draft, start } };
    },
    'POST /api/workflows/:id/telling': async ({ params }) => {
      const { draft } = await workflows.get(params.id);
      if (!draft.start.source) throw new NotPossible('Choose where the records come from first.');
      const { path } = await doors.add(draft.start.source.labels.at(-1) ?? draft.name);
      return { inbox: path[0] ?? '', canRegister: await canRegister(draft.start.source.connection) };
    },
    'GET /api/workflows/:id/telling': async ({ params, query }) => {
      const { draft } = await workflows.get(params.id);
      const inbox = await db.selectFrom('inbox').select('fields').where('id', '=', query.inbox).executeTakeFirst();
      const { source } = draft.start;
      return {
        canRegister: source !== null && (await canRegister(source.connection)),
        fields: inbox ? (JSON.parse(inbox.fields) as Field[]) : [],
      };
    },
    'POST /api/workflows/:id/telling/register': async ({ params, body }) => {
      const { source } = (await workflows.get(params.id)).draft.start;
      const connector = source && (await connections.connector(source.connection));
      if (!source || !connector?.subscribe)
        throw new NotPossible('This app can’t be asked from here. Paste the address there yourself.');
      const { address, setting } = await doors.of(body.inbox);
      const { url } = await publicAddress.urlOf(address);
      const { secret, record, eventId, signature } = await connector.subscribe(source.path, url);
      const access = signature === 'standard' ? { kind: signature } : { kind: 'signature' as const, ...signature };
      const asked = DoorSettingSchema.parse({ ...setting, access, eventId: { kind: 'header', name: eventId } });
      await doors.change(body.inbox, asked, secret);
      return { id: record };
    },
    'GET /api/workflows/:id/asks': async ({ params }) => {
      const begun =
        (await begunByHand(services, params.id)) ?? (await askedBy(db, (await workflows.get(params.id)).draft));
      return { asks: begun ? [...begun.asks] : null };
    },
    'POST /api/workflows/:id/typed-in': async ({ params, body }) => {
      const begun = await askedBy(db, (await workflows.get(params.id)).draft);
      if (!begun) throw new NotPossible('This draft isn’t begun by hand.');
      if (await begunByHand(services, params.id))
        throw new NotPossible('This workflow is live: what is typed in would be done. Begin it under Runs.');
      await arrivals.storeRecord(begun.inbox, `sample ${seams.id()}`, recordOfAnswers(begun.asks, body.answers));
      return done;
    },
    'POST /api/workflows/:id/begin': async ({ params, body }) => {
      const begun = await begunByHand(services, params.id);
      if (!begun) throw new NotPossible('This workflow isn’t begun by hand, or isn’t live.');
      await arrivals.storeRecord(begun.inbox, seams.id(), recordOfAnswers(begun.asks, body.answers));
      return { run: await engine.checkNow(params.id) };
    },
    'GET /api/doors/:id': async ({ params }) => {
      const { address, setting, waitingUntil, provenBy } = await doors.of(params.id);
      const { name } = await db
        .selectFrom('inbox')
        .select('name')
        .where('id', '=', params.id)
        .executeTakeFirstOrThrow();
      const { url, isPublic } = await publicAddress.urlOf(address);
      const isProven = isPublic && provenBy === (await publicAddress.address());
      return { name, url, isPublic, isProven, setting, waitingUntil, ...(await seenAtDoor(db, bytes, params.id)) };
    },
    'PUT /api/doors/:id': async ({ params, body }) => {
      await doors.change(params.id, body.setting, body.secret);
      return done;
    },
    'POST /api/doors/:id/secret': async ({ params }) => {
      const { setting } = await doors.of(params.id);
      const secret = doors.newSecret(setting.access);
      await doors.change(params.id, setting, secret);
      return { secret };
    },
    'POST /api/doors/:id/renew': async ({ params }) => {
      await doors.renew(params.id);
      return done;
    },
    'POST /api/doors/:id/wait': async ({ params, body }) => {
      await doors.wait(params.id, body.isWaiting);
      return done;
    },
    'POST /api/doors/:id/learn': async ({ params, body }) => {
      await doors.learn(params.id, body.keys);
      return done;
    },
    'POST /api/doors/:id/again': async ({ params, body }) => {
      await arrivals.again(params.id, body.key);
      doors.tell(params.id);
      return done;
    },
    'POST /api/doors/:id/test': async ({ params, body }) => {
      const { address } = await doors.of(params.id);
      // By the way that is certain to be open; whether others reach it the public address tells.
      const answer = await fetch(`http://127.0.0.1:${publicAddress.port}/in/${address}`, {
        method: 'POST',
        headers: { 'content-type': body.mediaType, [testHeader]: publicAddress.newTest() },
        body: body.body,
      }).catch((error: unknown) => {
        throw new NotPossible(`The door can’t be reached from here: ${(error as Error).message}`);
      });
      return { status: answer.status, text: await answer.text() };
    },
    'GET /api/doors/:id/bodies/:which/:seq': async ({ params: { id, which, seq } }) => {
      const { mediaType, headers, body } = await bodyAtDoor(db, bytes, id, which === 'refused', Number(seq));
      const text = body && Buffer.from(body).toString('utf8').slice(0, mostShown);
      return { mediaType, headers: JSON.parse(headers) as Record<string, string>, body: text };
    },
    'POST /api/public-address': () => publicAddress.prove(),
    'GET /api/public-address': async () => ({
      address: await publicAddress.address(),
      port: publicAddress.port,
      mailPort: mailDoors.port,
      proof: (await publicAddress.proof()) ?? null,
    }),
  } satisfies Handlers<typeof doorsRoutes>;
}
