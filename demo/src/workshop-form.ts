import {
  draftOfEvents,
  type Filling,
  formatPointer,
  type JsonRecord,
  type Place,
  type Question,
  type WorkflowContent,
} from '@golden/core';
import { beginningOf, type Services } from '@golden/server';

// A form on which potters ask for a place on a workshop day; each answer becomes a row.

export const workshopColumns = [
  'Name',
  'E-mail',
  'Phone',
  'Day',
  'Fires at',
  'Pieces',
  'Wheel',
  'Photo',
  'Note',
] as const;

const questions: Question[] = [
  { key: 'name', label: 'Your name', type: 'text', isRequired: true },
  { key: 'email', label: 'Your e-mail address', type: 'email', isRequired: true },
  { key: 'phone', label: 'A telephone number, for the day itself', type: 'phone', isRequired: false },
  {
    key: 'day',
    label: 'Which day?',
    type: 'choice',
    options: ['Saturday 16 January', 'Saturday 23 January', 'Sunday 31 January'],
    isRequired: true,
  },
  {
    key: 'firings',
    label: 'How do you fire?',
    type: 'choices',
    options: ['electric', 'gas', 'wood', 'raku'],
    isRequired: false,
    help: 'Several are fine. We set the groups up by this.',
  },
  { key: 'pieces', label: 'How many pieces do you bring?', type: 'integer', isRequired: false },
  { key: 'wheel', label: 'I need a wheel', type: 'boolean', isRequired: false },
  { key: 'photo', label: 'A photo of your work', type: 'file', isRequired: false, help: 'At most 10 MB.' },
  { key: 'note', label: 'Anything else?', type: 'long_text', isRequired: false },
];

/** What came before it went live: awkward on purpose. */
const before: readonly JsonRecord[] = [
  {
    name: 'Nuala O’Dowd',
    email: 'nuala@example.org',
    phone: '020 915 0042',
    day: 'Saturday 16 January',
    firings: ['electric', 'raku'],
    pieces: '6',
    wheel: false,
    photo: null,
    note: 'I am left-handed.\nIs there room for a friend?',
  },
  {
    name: '  T. Ó Súilleabháin ',
    email: 'T.OSuilleabhain@Example.com',
    phone: null,
    day: 'Sunday 31 January',
    firings: [],
    pieces: null,
    wheel: true,
    photo: null,
    note: null,
  },
];

/** The workflow that the form starts; its submissions go onto a tab. */
export async function workshopForm(services: Services, target: Place): Promise<WorkflowContent> {
  const draft = await beginningOf(services, { kind: 'form', name: 'A place on a workshop day' });
  const [inbox = ''] = draft.start.source?.path ?? [];
  const { setting, version } = await services.forms.of(inbox);
  await services.forms.change(
    inbox,
    {
      ...setting,
      before: 'We fire together in the yard, from nine to five. There is tea.',
      after: 'We write to you within two days whether there is a place.',
      button: 'Ask for a place',
      thanks: 'Thank you. We write to you within two days.',
      colour: '#7a3b1d',
      questions,
    },
    version,
  );
  for (const [at, record] of before.entries())
    await services.forms.take({ inbox, version: version + 1, key: `before ${at}`, record });
  const connector = await services.connections.connector(draft.start.source?.connection ?? '');
  const source = draft.start.source && { ...draft.start.source, described: await connector.describe([inbox]) };
  if (!source) throw new Error('A form is a source.');
  const from = (path: string): Filling => ({ kind: 'field', ref: { step: 'start', path }, tidies: [] });
  const paths: Readonly<Record<(typeof workshopColumns)[number], string>> = {
    Name: '/name',
    'E-mail': '/email',
    Phone: '/phone',
    Day: '/day',
    'Fires at': '/firings',
    Pieces: '/pieces',
    Wheel: '/wheel',
    Photo: '/photo/link',
    Note: '/note',
  };
  return {
    ...draftOfEvents(source, 'Workshop places asked for by a form'),
    note: 'The page is linked from the newsletter; Mira answers each by hand.',
    steps: [
      {
        id: 'list',
        kind: 'write',
        target,
        mode: 'append',
        mapping: Object.fromEntries(workshopColumns.map((column) => [formatPointer([column]), from(paths[column])])),
      },
    ],
  };
}
