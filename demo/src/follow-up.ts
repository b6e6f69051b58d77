import {
  businessId,
  type Ending,
  emptyContent,
  type Place,
  type Step,
  startId,
  type WorkflowContent,
} from '@golden/core';
import { type Services, unsubscribe } from '@golden/server';

/** Each mail with how many working days after the start it goes out. */
const mails = [
  {
    days: 1,
    name: 'first mail',
    subject: 'Your question about a kiln',
    text: 'it was good to meet you. Shall we find the kiln that fits your workshop? Answer this mail, or book a visit.',
  },
  {
    days: 2,
    name: 'second mail',
    subject: 'What others fire with',
    text: 'three potters tell which kiln they chose, and why. Their workshops are small, too.',
  },
  {
    days: 4,
    name: 'third mail',
    subject: 'Come and see one',
    text: 'our kilns stand open each Saturday. Say which day suits you, and we light one.',
  },
] as const;

/** Whoever asked about kilns hears from us at one, two and four working days, until they book; not those who want no news. */
function leadsFollowedUp(leads: Place, outgoing: Place, bookings: Place, since: string): WorkflowContent {
  const booked: Ending = {
    id: 'ending-1',
    place: bookings,
    there: '/email',
    here: { step: startId, path: '/email' },
    value: { path: '/status', is: 'booked' },
    does: 'stops',
  };
  const steps = mails.flatMap(({ days, name, subject, text }, at): Step[] => [
    {
      id: `wait-${days}`,
      kind: 'wait',
      until: { kind: 'time', amount: days, unit: 'working_days', from: 'start' },
      ...(at === 0 && { endings: [booked] }),
    },
    {
      id: `mail-${days}`,
      kind: 'write',
      name,
      target: outgoing,
      mode: 'append',
      purpose: 'news',
      mapping: {
        '/to': { kind: 'field', ref: { step: startId, path: '/email' }, tidies: [] },
        '/subject': { kind: 'text', parts: [{ kind: 'words', text: subject }], tidies: [] },
        '/text': {
          kind: 'text',
          parts: [
            { kind: 'words', text: 'Dear ' },
            { kind: 'field', ref: { step: startId, path: '/name' }, otherwise: 'potter' },
            { kind: 'words', text: `,\n\n${text}\n\n` },
            { kind: 'field', ref: { step: businessId, path: '/signature' } },
          ],
          tidies: [],
        },
      },
    },
  ]);
  return {
    ...emptyContent('Kiln leads, followed up'),
    note: 'Three mails over four working days, until they book an open day.',
    start: {
      source: leads,
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'since', at: since },
      once: '/email',
    },
    steps: [
      {
        id: 'wanted',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [
            { kind: 'test', ref: { step: startId, path: '/wantsNews' }, operator: 'is_yes', values: [] },
            { kind: 'test', ref: { step: startId, path: '/email' }, operator: 'is_not_empty', values: [] },
          ],
        },
      },
      ...steps,
    ],
  };
}

/** Makes the workflow that follows leads up, makes it live, and gives its content. */
export async function addFollowUp(
  services: Services,
  leads: Place,
  outgoing: Place,
  bookings: Place,
  since: string,
): Promise<WorkflowContent> {
  const content = leadsFollowedUp(leads, outgoing, bookings, since);
  const { id } = await services.workflows.add(content, 'Leads');
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await someUnsubscribed(services);
  await services.engine.rehearse(id, 'samples');
  await services.engine.rehearsals.wait(id);
  return content;
}

/** Who had unsubscribed before: in the program that came before this one, and by word of mouth. */
async function someUnsubscribed(services: Services): Promise<void> {
  await services.commits.run(async (trx) => {
    for (const contact of ['j.marsh@kiln.example', 'studio@loam.example'])
      await unsubscribe(services, trx, { contact, how: 'list' });
    await unsubscribe(services, trx, { contact: 'ines@quayle.example', how: 'person', said: 'by phone to Mira' });
  });
}
