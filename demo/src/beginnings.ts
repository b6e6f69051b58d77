import type { Filling, Place, WorkflowContent } from '@golden/core';
import { draftOfEvents, formatPointer } from '@golden/core';
import { beginningOf, type Services } from '@golden/server';
import { workshopColumns, workshopForm } from './workshop-form.ts';

// The demo's workflows that ask no app: the website posts enquiries, the market stall's sales come as files, the front
// desk notes a visit by a button, on Mondays the week's list begins with the stock check, and potters ask for a workshop by a
// form.

const field = (path: string): Filling => ({ kind: 'field', ref: { step: 'start', path }, tidies: [] });

/** What the website has posted before it went live: awkward on purpose, one without an address, one with a long text. */
const posted = [
  {
    id: 'w-1041',
    name: 'Aoife Ní Bhriain',
    email: 'aoife@example.org',
    about: 'Which cone for the blue glaze?',
    page: 'glazes',
  },
  {
    id: 'w-1042',
    name: 'M. Yılmaz',
    about: 'Kiln of 120 l, three phase. Please ring.',
    phone: '+44 1632 960144',
    page: 'kilns',
  },
  {
    id: 'w-1043',
    name: ' Jürgen Müller ',
    email: 'JM@Example.net',
    about: 'Clay for 24 pupils,\nfrom September',
    page: 'schools',
  },
];

const file = 'Front desk.xlsx';
const tabs = {
  enquiries: { name: 'Enquiries', columns: ['No', 'Name', 'E-mail', 'Phone', 'About', 'Page'] },
  visits: { name: 'Visits', columns: ['Customer', 'Kind', 'On', 'Note'] },
  workshops: { name: 'Workshop days', columns: workshopColumns },
  week: { name: 'This week', columns: ['Date', 'Day', 'What'] },
  stall: { name: 'Market stall', columns: ['Receipt', 'Date', 'Item', 'Quantity', 'Amount'] },
} as const;

/** The stall's sales: of the first Saturday before it went live, of the second, and that corrected. */
const stallFiles = [
  [
    'Stall 14 November.csv',
    ['S-201,2026-11-14,Stoneware clay 12 kg,2,"37,00"', 'S-202,2026-11-14,Celadon glaze,1,"18,50"'],
  ],
  [
    'Stall 21 November.csv',
    [
      'S-203,2026-11-21,Brush No 4,3,"12,30"',
      'S-204,2026-11-21,Cone 6 set,1,"7,00"',
      'S-205,2026-11-21,Loop tool,2,"11,80"',
    ],
  ],
  [
    'Stall 21 November (1).csv',
    [
      'S-203,2026-11-21,Brush No 4,3,"12,30"',
      'S-204,2026-11-21,Cone 6 set,2,"14,00"',
      'S-206,2026-11-21,Sponge,1,"2,40"',
    ],
  ],
] as const;

/** Makes the front desk's workbook and the five workflows that fill it, and makes them live. */
export async function addBeginnings(services: Services, shelf: string): Promise<void> {
  const connector = await services.connections.connector(shelf);
  const { enquiries, visits, week, stall, workshops } = tabs;
  await connector.shape?.addPlace({ above: [], name: file, tab: enquiries.name, columns: enquiries.columns });
  for (const { name, columns } of [visits, week, stall, workshops])
    await connector.shape?.addPlace({ above: [file], name, columns });
  const place = async ({ name }: { readonly name: string }): Promise<Place> => ({
    connection: shelf,
    path: [file, name],
    labels: [file, name],
    described: await connector.describe([file, name]),
  });
  await live(services, await fromTheWebsite(services, await place(enquiries)), 'Enquiries');
  await salesOfTheStall(services, await place(stall));
  await live(services, await visitByHand(services, await place(visits)), 'Front desk');
  await live(services, await mondays(services, await place(week)), 'Front desk');
  await live(services, await workshopForm(services, await place(workshops)), 'Front desk');
}

async function live(services: Services, content: WorkflowContent, folder: string): Promise<void> {
  const { id } = await services.workflows.add(content, folder);
  await services.engine.finish((await services.engine.makeLive(id)).run);
}

async function fromTheWebsite(services: Services, target: Place): Promise<WorkflowContent> {
  const draft = await beginningOf(services, { kind: 'posted', name: 'Website enquiries' });
  const [inbox = ''] = draft.start.source?.path ?? [];
  const { setting } = await services.doors.of(inbox);
  await services.doors.change(inbox, { ...setting, eventId: { kind: 'field', path: '/id' } });
  for (const event of posted)
    await services.doors.store({
      inbox,
      key: event.id,
      mediaType: 'application/json',
      headers: { 'content-type': 'application/json' },
      body: Buffer.from(JSON.stringify(event)),
    });
  const source = await described(services, draft);
  return {
    ...draftOfEvents(source, 'Website enquiries onto the front desk’s list'),
    note: 'The website posts each enquiry at once; one that is posted twice counts once.',
    steps: [
      appending(target, {
        No: field('/id'),
        Name: field('/name'),
        'E-mail': field('/email'),
        Phone: field('/phone'),
        About: field('/about'),
        Page: field('/page'),
      }),
    ],
  };
}

async function salesOfTheStall(services: Services, target: Place): Promise<void> {
  const draft = await beginningOf(services, { kind: 'file', name: 'Sales of the market stall' });
  const [inbox = ''] = draft.start.source?.path ?? [];
  const drop = ([name, rows]: (typeof stallFiles)[number]) =>
    services.files.take({
      inbox,
      name,
      bytes: Buffer.from(`${['Receipt no,Date,Item,Quantity,Amount', ...rows].join('\r\n')}\r\n`),
      came: 'dropped',
    });
  const [first, ...later] = stallFiles;
  await drop(first);
  const mapping = {
    Receipt: field('/Receipt no'),
    Date: field('/Date'),
    Item: field('/Item'),
    Quantity: field('/Quantity'),
    Amount: field('/Amount'),
  };
  const content = { ...draft, start: { ...draft.start, source: await described(services, draft) } };
  const write = { ...appending(target, mapping), mode: 'create_or_update' as const, key: formatPointer(['Receipt']) };
  const note = 'The till’s files are dropped here; a corrected one brings only what changed.';
  await live(services, { ...content, note, steps: [write as WorkflowContent['steps'][number]] }, 'Front desk');
  for (const file of later) {
    await drop(file);
    await services.engine.quiet();
    await services.engine.tick();
    await services.engine.quiet();
  }
}

async function visitByHand(services: Services, target: Place): Promise<WorkflowContent> {
  const draft = await beginningOf(services, {
    kind: 'hand',
    name: 'A kiln visit',
    asks: [
      { label: 'Customer', type: 'text', isRequired: true },
      { label: 'Kind', type: 'choice', options: ['repair', 'advice', 'delivery'], isRequired: true },
      { label: 'On', type: 'date', isRequired: true },
      { label: 'Note', type: 'text', isRequired: false },
    ],
  });
  const mapping = { Customer: field('/Customer'), Kind: field('/Kind'), On: field('/On'), Note: field('/Note') };
  const note = 'A button on Today asks for the customer and what is to be done.';
  return { ...draft, note, steps: [appending(target, mapping)] };
}

async function mondays(services: Services, target: Place): Promise<WorkflowContent> {
  const draft = await beginningOf(services, { kind: 'time', name: 'The stock check' });
  const mapping: Record<string, Filling> = {
    Date: field('/date'),
    Day: field('/weekday'),
    What: { kind: 'text', parts: [{ kind: 'words', text: 'Count the clay and the glazes' }], tidies: [] },
  };
  const trigger = { kind: 'times' as const, at: ['06:00'], days: [1 as const] };
  const note = 'Every Monday at six it puts the count of the stock onto the week’s list.';
  return { ...draft, note, start: { ...draft.start, trigger }, steps: [appending(target, mapping)] };
}

const appending = (target: Place, mapping: Readonly<Record<string, Filling>>): WorkflowContent['steps'][number] => ({
  id: 'list',
  kind: 'write',
  target,
  mode: 'append',
  mapping: Object.fromEntries(Object.entries(mapping).map(([column, filling]) => [formatPointer([column]), filling])),
});

/** The source of a draft as it is known by now. */
async function described(services: Services, { start }: WorkflowContent): Promise<Place> {
  const { source } = start;
  if (!source) throw new Error('A beginning has a source.');
  const connector = await services.connections.connector(source.connection);
  return { ...source, described: await connector.describe(source.path) };
}
