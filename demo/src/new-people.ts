import {
  type Blank,
  draftOfHanded,
  emptyContent,
  type Field,
  type Filling,
  type FolderFile,
  formatPointer,
  type Place,
  startId,
  type WorkflowContent,
  type WorkflowFile,
} from '@golden/core';
import { addHandedInbox, type Services } from '@golden/server';

// Whoever begins at the firm stands in a workbook; every Monday morning each of them gets an account, not active yet,
// in the group of new people. The rows are handed over to a second workflow, which makes the accounts.

const of = (step: string, path: string): Filling => ({
  kind: 'field',
  ref: { step, path },
  tidies: [{ kind: 'squeeze' }],
});
const column = (name: string): Filling => of(startId, formatPointer([name]));

/** What the workflow that makes accounts needs of each person. */
export const neededOfAPerson: readonly Field[] = [
  { path: '/email', label: 'E-mail', type: 'email', required: true },
  { path: '/first', label: 'First name', type: 'text', required: true },
  { path: '/last', label: 'Last name', type: 'text', required: true },
  { path: '/department', label: 'Department', type: 'text' },
];

export const accountsName = 'Accounts for new people';

/** Each person becomes an account that isn't active yet, in the group of new people. */
export function accountsForPeople(source: Place, accounts: Place, groups: Place, memberships: Place): WorkflowContent {
  return {
    ...draftOfHanded(source, accountsName),
    note: 'The accounts are activated by a person, on the first day.',
    steps: [
      {
        id: 'group',
        kind: 'lookup',
        target: groups,
        mapping: { '/displayName': { kind: 'fixed', value: 'New people' } },
        ladder: { rungs: [{ id: 'name', kind: 'exact', fields: ['/displayName'] }], atNone: 'ask', atUnclear: 'ask' },
      },
      {
        id: 'account',
        kind: 'write',
        target: accounts,
        mode: 'create_or_update',
        key: '/userName',
        firstDifference: 'ask',
        mapping: {
          // What stands before the @ of the firm's own address is what somebody signs in with.
          '/userName': {
            kind: 'formula',
            text: 'LOWER(LEFT(person.email; FIND("@"; person.email) - 1))',
            refs: { 'person.email': { step: startId, path: '/email' } },
          },
          '/name/givenName': of(startId, '/first'),
          '/name/familyName': of(startId, '/last'),
          '/displayName': {
            kind: 'text',
            parts: [
              { kind: 'field', ref: { step: startId, path: '/first' } },
              { kind: 'words', text: ' ' },
              { kind: 'field', ref: { step: startId, path: '/last' } },
            ],
            tidies: [{ kind: 'squeeze' }],
          },
          '/emails': of(startId, '/email'),
          [formatPointer(['urn:ietf:params:scim:schemas:extension:enterprise:2.0:User', 'department'])]: of(
            startId,
            '/department',
          ),
          '/active': { kind: 'fixed', value: 'false' },
        },
        policies: { '/active': 'never' },
      },
      {
        id: 'member',
        kind: 'write',
        target: memberships,
        mode: 'append',
        mapping: {
          '/group': { kind: 'field', ref: { step: 'group', path: '/id' }, tidies: [] },
          '/account': { kind: 'field', ref: { step: 'account', path: '/id' }, tidies: [] },
        },
      },
    ],
  };
}

/** Every Monday at 06:00 by the clock of the partner's office on the US west coast, the new rows are handed over. */
export function newPeopleHandedOver(rows: Place, receiver: Place): WorkflowContent {
  return {
    ...emptyContent('New people get their accounts'),
    note: 'The list is kept by the partner’s office; what they enter in the week is handed over on Monday morning.',
    zone: 'America/Los_Angeles',
    start: {
      source: rows,
      on: 'added',
      identity: formatPointer(['E-mail']),
      trigger: { kind: 'times', at: ['06:00'], days: [1] },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'accounts',
        kind: 'hand_over',
        target: receiver,
        mapping: {
          '/email': column('E-mail'),
          '/first': column('First name'),
          '/last': column('Last name'),
          '/department': column('Department'),
        },
        awaits: true,
      },
    ],
  };
}

/** Their folder as a ready-made one: what another business says for itself before it fits. */
export function readyNewPeople(folder: FolderFile): FolderFile {
  const edition = { id: 'new-people', number: 1 };
  const workflows = folder.workflows.map((file): WorkflowFile => {
    if (file.content.name === accountsName) {
      const blanks: Blank[] = [
        {
          id: 'group',
          label: 'Which group are new people put into?',
          help: 'It has to be there in the Key cabinet.',
          at: ['/steps/0/mapping/~1displayName/value'],
        },
      ];
      return { ...file, blanks, edition: { ...edition, id: 'new-people-accounts' } };
    }
    const blanks: Blank[] = [
      { id: 'time', label: 'At what time?', help: 'By the clock below, such as 06:00.', at: ['/start/trigger/at/0'] },
      {
        id: 'zone',
        label: 'By whose clock?',
        options: [
          { value: 'America/Los_Angeles', label: 'US Pacific' },
          { value: 'America/New_York', label: 'US Eastern' },
          { value: 'Europe/London', label: 'Britain' },
          { value: 'Europe/Dublin', label: 'Ireland' },
          { value: 'Europe/Berlin', label: 'Central Europe' },
        ],
        at: ['/zone'],
      },
    ];
    return { ...file, blanks, edition: { ...edition, id: 'new-people-list' } };
  });
  return { ...folder, name: 'New people', workflows };
}

/** What people wrote of the shop, onto the website: hidden until somebody shows it. */
export function mentionsOntoTheWebsite(mentions: Place, entries: Place, sections: Place): WorkflowContent {
  return {
    ...emptyContent('What people say, onto the website'),
    note: 'Nothing is shown to the public before somebody has read it.',
    start: { source: mentions, on: 'added', trigger: { kind: 'every', minutes: 60 }, fromWhen: { kind: 'all' } },
    steps: [
      {
        id: 'section',
        kind: 'lookup',
        target: sections,
        mapping: { '/name': { kind: 'fixed', value: 'What people say' } },
        ladder: { rungs: [{ id: 'name', kind: 'exact', fields: ['/name'] }], atNone: 'ask', atUnclear: 'ask' },
      },
      {
        id: 'entry',
        kind: 'write',
        target: entries,
        mode: 'create_or_update',
        key: '/link',
        firstDifference: 'there',
        mapping: {
          '/section': { kind: 'field', ref: { step: 'section', path: '/id' }, tidies: [] },
          '/title': {
            kind: 'text',
            parts: [
              { kind: 'field', ref: { step: startId, path: '/author' } },
              { kind: 'words', text: ' in ' },
              { kind: 'field', ref: { step: startId, path: '/where' } },
            ],
            tidies: [],
          },
          '/text': of(startId, '/text'),
          '/author': of(startId, '/author'),
          '/link': of(startId, '/link'),
          '/state': { kind: 'fixed', value: 'hidden' },
        },
        policies: { '/state': 'never' },
      },
    ],
  };
}

interface Places {
  readonly rows: Place;
  readonly accounts: Place;
  readonly groups: Place;
  readonly memberships: Place;
  readonly mentions: Place;
  readonly entries: Place;
  readonly sections: Place;
}

/** Makes the three workflows, live; gives their ids, the one that hands over first. */
export async function addNewPeople(services: Services, places: Places): Promise<readonly string[]> {
  const inbox = await addHandedInbox(services, accountsName, 'person', neededOfAPerson);
  const described = await (await services.connections.connector(inbox.connection)).describe(inbox.path);
  const receiver: Place = { ...inbox, labels: [accountsName], described };
  const { accounts, groups, memberships, rows, mentions, entries, sections } = places;
  const made = await services.workflows.add(accountsForPeople(receiver, accounts, groups, memberships), 'People');
  const handing = await services.workflows.add(newPeopleHandedOver(rows, receiver), 'People');
  const shown = await services.workflows.add(mentionsOntoTheWebsite(mentions, entries, sections), 'Website');
  for (const { id } of [made, handing, shown]) await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.quiet();
  await services.engine.tick();
  await services.engine.quiet();
  return [handing.id, made.id, shown.id];
}
