import type { Test } from '../conditions/condition.ts';
import { beginItem } from '../run/advance.ts';
import { blockerOf } from '../run/blocking.ts';
import { returned } from '../run/returned.ts';
import type { ItemState } from '../run/state.ts';
import { redirected } from '../steps/placed/send.ts';
import type { Step } from '../steps/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { aField, contentWith, fromField, list, writeToList } from '../testing/workflows.ts';
import { afterwardsOf, canBePutAway, foundAgainBy, markableFields, withAfterwards } from './afterwards.ts';
import { sentenceText, writeBrief } from './brief.ts';
import { type CopyEnd, draftCopy } from './draft-copy.ts';
import type { Place } from './place.ts';
import { checkReadiness } from './readiness.ts';
import type { WorkflowContent } from './schema.ts';

// What is special about mails in a workflow: they are put away afterwards, greeted, tried on oneself, and may come back.

const kind = aField('/kind', {
  type: 'choice',
  options: ['person', 'automatic', 'list'].map((value) => ({ value, label: value })),
});
const inbox: Place = {
  connection: 'mailbox',
  path: ['folder:INBOX'],
  labels: ['Inbox'],
  described: {
    name: 'Inbox',
    singular: 'mail',
    plural: 'mails',
    can: { list: true, find: true, create: false, update: true, readBack: true },
    fields: [
      aField('/id', { type: 'id', readOnly: true }),
      aField('/from/first_name', { label: 'sender’s first name', readOnly: true }),
      aField('/true_sender/first_name', { label: 'writer’s first name', readOnly: true }),
      aField('/reply_to', { type: 'email', label: 'answer goes to', readOnly: true }),
      aField('/subject', { label: 'subject', readOnly: true }),
      aField('/new_text', { label: 'new text', readOnly: true, isLong: true }),
      aField('/cc', { label: 'copies to', readOnly: true }),
      kind,
      aField('/message_id', { label: 'message id' }),
      aField('/read', { label: 'read', type: 'boolean' }),
      aField('/folder', { label: 'folder' }),
    ],
    created: '/received',
  },
};
const sentTo = { to: '/to', copies: ['/cc', '/bcc'], subject: '/subject' };
const answers: Place = {
  connection: 'mailbox',
  path: ['answers'],
  labels: ['Answers to mails'],
  described: {
    name: 'answers',
    singular: 'answer',
    plural: 'answers',
    can: { list: false, find: false, create: true, update: false, readBack: false },
    sentTo,
    fields: [
      aField('/to', { type: 'email', label: 'answer goes to', required: true }),
      aField('/subject', { label: 'subject' }),
      aField('/text', { label: 'text', required: true, isLong: true, tellsGaps: true, byPersonOnly: true }),
      aField('/message_id', { label: 'message id', required: true }),
      aField('/cc', { label: 'copies to', byPersonOnly: true }),
    ],
  },
};
const mail = {
  id: '1',
  from: { first_name: 'Mira' },
  true_sender: { first_name: 'Isla' },
  reply_to: 'isla@byrne.example',
  subject: 'Delivery',
  new_text: 'How much?',
  cc: 'boss@byrne.example',
  kind: 'person',
  message_id: '<A1@byrne.example>',
  read: false,
  folder: 'INBOX',
};
const end = (place: Place, records: CopyEnd['records'] = []): CopyEnd => ({ place, app: 'Mailbox', records });
const brief = (content: WorkflowContent): string[] =>
  writeBrief(content, { mailbox: 'Mailbox', shelf: 'Shelf' }).map(sentenceText);

describe('a draft that answers mails', () => {
  const draft = draftCopy(
    end(inbox, [mail, { ...mail, id: '2' }]),
    end(answers),
    'in_step',
    '{from} {records} into {to}',
  );
  const write = draft.steps.find((step) => step.kind === 'write');

  test('answers each once, only people, in the thread, to who wrote it; its text begins with their name', () => {
    expect(draft.start).toMatchObject({ on: 'added', fromWhen: { kind: 'now' } });
    expect(draft.name).toBe('Mailbox mails, answered');
    expect(draft.steps.map((step) => step.kind)).toEqual(['condition', 'write']);
    expect(write?.mapping['/to']).toMatchObject({ kind: 'field', ref: { path: '/reply_to' } });
    expect(write?.mapping['/message_id']).toEqual(fromField('/message_id'));
    expect(write?.mapping['/text']).toEqual({
      kind: 'text',
      parts: [
        { kind: 'words', text: 'Dear ' },
        { kind: 'field', ref: { step: 'start', path: '/true_sender/first_name' }, otherwise: 'customer' },
        { kind: 'words', text: ',\n\n' },
      ],
      tidies: [],
    });
  });

  test('reads as what it does', () => {
    expect(brief(draft).at(-1)).toBe('Send an answer to answer goes to from the Mailbox, Answers to mails.');
  });

  test('never proposes their own words or those who read along', () => {
    expect(Object.keys(write?.mapping ?? {}).sort()).toEqual(['/message_id', '/subject', '/text', '/to']);
  });
});

describe('afterwards', () => {
  const content = { ...contentWith([writeToList()]), start: { ...contentWith([]).start, source: inbox } };

  test('each choice is read as it was made, and another takes its place', () => {
    for (const choice of [{ kind: 'read' }, { kind: 'move', folder: 'Done' }, { kind: 'leave' }] as const) {
      const once = withAfterwards(content, choice);
      expect(afterwardsOf(once)).toEqual(choice);
      expect(withAfterwards(withAfterwards(once, { kind: 'read' }), choice)).toEqual(once);
    }
    expect(withAfterwards(content, { kind: 'leave' }).steps).toEqual(content.steps);
  });

  test('reads as what it does', () => {
    expect(brief(withAfterwards(content, { kind: 'read' })).at(-1)).toBe('Then mark it as read.');
    expect(brief(withAfterwards(content, { kind: 'move', folder: 'Done' })).at(-1)).toBe(
      'Then set its folder to Done.',
    );
  });

  test('is the last sentence, and waits until all others are through', () => {
    const moved = withAfterwards(content, { kind: 'move', folder: 'Done' });
    const step = moved.steps.at(-1);
    if (!step) throw new Error('There is one.');
    const state: ItemState = beginItem(mail, '2026-11-28T10:00:00Z');
    const open = { kind: 'unsettled', cause: 'value', message: '', fields: [] } as const;
    expect(blockerOf(moved, { ...state, steps: { list: open } }, { id: step.id, step, turn: undefined } as never)).toBe(
      'list',
    );
    const done = {
      kind: 'written',
      outcome: 'new',
      id: '1',
      changes: [],
      readBack: 'not_read',
      differences: [],
    } as const;
    expect(
      blockerOf(moved, { ...state, steps: { list: done } }, { id: step.id, step, turn: undefined } as never),
    ).toBeUndefined();
    expect(checkReadiness(moved).filter((problem) => problem.sentence === 'afterwards')).toEqual([]);
  });

  test('is only offered where records can be put away, and asked for anew where they come from another place', () => {
    expect([canBePutAway(inbox.described), canBePutAway(list.described), canBePutAway(answers.described)]).toEqual([
      true,
      false,
      false,
    ]);
    const moved = withAfterwards(content, { kind: 'read' });
    const other = { ...moved, start: { ...moved.start, source: { ...inbox, path: ['folder:Sales'] } } };
    expect(checkReadiness(other)).toContainEqual(
      expect.objectContaining({ sentence: 'afterwards', severity: 'blocks' }),
    );
  });
});

test('a condition on who wrote a mail says that anybody can write that, unless it is asked whether it was checked', () => {
  const fields = inbox.described.fields.map((field) =>
    field.path === '/reply_to' ? { ...field, provenBy: '/proven' } : field,
  );
  const source = {
    ...inbox,
    described: { ...inbox.described, fields: [...fields, aField('/proven', { label: 'sender is proven' })] },
  };
  const test = (path: string, value: string): Test => ({
    kind: 'test',
    ref: { step: 'start', path },
    operator: 'is',
    values: [value],
  });
  const warned = (...items: Test[]): string[] => {
    const keep: Step = { id: 'keep', kind: 'condition', condition: { kind: 'all', items } };
    const content = { ...contentWith([keep, writeToList()]), start: { ...contentWith([]).start, source } };
    return checkReadiness(content)
      .filter(({ sentence }) => sentence === 'keep')
      .map(({ message }) => message);
  };
  expect(warned(test('/reply_to', 'a@b.example'))).toEqual([expect.stringContaining('whether “sender is proven”')]);
  expect(warned(test('/reply_to', 'a@b.example'), test('/proven', 'proven'))).toEqual([]);
  expect(warned(test('/subject', 'x'))).toEqual([]);
});

test('mails that come back to an address which isn’t read here say so; where a field says from whom, nobody knows yet', () => {
  const back = { from: '/from' as const, usual: 'shop@us.example', read: ['me@us.example'] };
  const warned = (more: Partial<WriteStep['mapping']>, read = back.read): string[] => {
    const described = { ...answers.described, sentTo: { ...sentTo, back: { ...back, read } } };
    const fields = [...described.fields, aField('/from', { label: 'from' })];
    const answer: WriteStep = {
      id: 'answer',
      kind: 'write',
      mode: 'append',
      target: { ...answers, described: { ...described, fields } },
      mapping: more as WriteStep['mapping'],
    };
    const content = { ...contentWith([answer]), start: { ...contentWith([]).start, source: inbox } };
    return checkReadiness(content)
      .filter(({ field, severity }) => field === '/from' && severity === 'warns')
      .map(({ message }) => message);
  };
  const fixed = (value: string) => ({ '/from': { kind: 'fixed' as const, value } });
  expect(warned({})).toEqual([expect.stringContaining('comes back to “shop@us.example”')]);
  expect(warned(fixed('shop@us.example'))).toHaveLength(1);
  expect(warned(fixed('me@us.example'))).toEqual([]);
  expect(warned({}, ['shop@us.example'])).toEqual([]);
  const named = { kind: 'field' as const, ref: { step: 'start', path: '/subject' as const }, tidies: [] };
  expect(warned({ '/from': named })).toEqual([]);
});

describe('what goes out', () => {
  const values = { '/to': 'isla@byrne.example', '/cc': 'boss@byrne.example', '/subject': 'Delivery', '/text': 'x' };

  test('goes to oneself in a trial, with those for whom it was in its subject, and nobody reads along', () => {
    expect(redirected(answers.described, values, 'me@us.example')).toEqual({
      '/to': 'me@us.example',
      '/subject': 'For isla@byrne.example, boss@byrne.example: Delivery',
      '/text': 'x',
    });
    expect(redirected(answers.described, values, undefined)).toBe(values);
    expect(redirected(list.described, values, 'me@us.example')).toBe(values);
  });

  test('may come back: the item needs somebody, and what was sent stands until they say otherwise', () => {
    const state = beginItem(mail, '2026-11-28T10:00:00Z');
    const done = {
      kind: 'written',
      outcome: 'new',
      id: '<t@us>',
      changes: [],
      readBack: 'not_read',
      differences: [],
    } as const;
    const next = returned({ ...state, steps: { answer: done } }, 'answer', 'It didn’t reach them.');
    expect(next).toMatchObject({ outcome: { kind: 'unsettled', cause: 'returned' } });
    expect(next?.state.steps['answer']).toMatchObject({ kind: 'unsettled', stands: { id: '<t@us>', outcome: 'new' } });
    expect(returned(state, 'answer', '')).toBeUndefined();
  });
});

describe('a record that says where it came from when all was done with it', () => {
  const made = aField('/made', { label: 'Made', type: 'date' });
  const rows: Place = {
    ...list,
    described: {
      ...list.described,
      fields: [aField('/number', { label: 'Number' }), made, aField('/sum', { readOnly: true })],
      can: { list: true, find: true, create: true, update: true, readBack: true },
    },
  };
  const content: WorkflowContent = {
    ...contentWith([writeToList()]),
    start: { ...contentWith([]).start, source: rows, identity: '/number' },
  };

  test('which fields can say it, and by what it is found again', () => {
    expect(markableFields(rows.described).map(({ path }) => path)).toEqual(['/number', '/made']);
    expect(markableFields({ ...rows.described, can: { ...rows.described.can, update: false } })).toEqual([]);
    expect(foundAgainBy(content.start)).toBe('/number');
    const { identity: _identity, ...start } = content.start;
    expect(foundAgainBy(start)).toBe('/number');
  });

  test('it is the last sentence, said in words, chosen and taken away again', () => {
    const marked = withAfterwards(content, { kind: 'mark', field: '/made', by: '/number' });
    expect(afterwardsOf(marked)).toEqual({ kind: 'mark', field: '/made', by: '/number' });
    expect(marked.steps.at(-1)).toMatchObject({
      afterAll: true,
      mapping: { '/made': { kind: 'formula', text: 'TODAY()' } },
    });
    const said = writeBrief(marked, { [rows.connection]: 'Office files' }).map(sentenceText);
    expect(said.at(-1)).toBe('Then say in its Made when that was.');
    expect(
      checkReadiness(marked).filter(({ severity, sentence }) => severity === 'blocks' && sentence === 'afterwards'),
    ).toEqual([]);
    expect(withAfterwards(marked, { kind: 'leave' })).toEqual(content);
  });
});
