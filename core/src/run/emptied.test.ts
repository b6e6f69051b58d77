import { trailOfItem } from '../records/trail.ts';
import type { Step } from '../steps/schemas.ts';
import { fromField, priya, versionWith, writeToList } from '../testing/workflows.ts';
import { advance, beginItem } from './advance.ts';
import { emptied, emptiedWrite } from './emptied.ts';
import { layOut } from './lay-out.ts';
import type { Advance, ItemState } from './state.ts';

// What an item keeps once its record isn't kept any more. What is looked for in the text is what the record held.

const at = '2026-03-05T09:00:00.000Z';
const each: Step = { id: 'each', kind: 'each', over: { step: 'start', path: '/basket/lines' } };
const row = writeToList({
  id: 'row',
  within: 'each',
  mapping: {
    '/Number': { kind: 'field', ref: { step: 'each', path: '/sku' }, tidies: [] },
    '/Name': fromField('/name'),
  },
});

const record = { ...priya, basket: { lines: [{ sku: 'CLAY-1' }, { sku: 'GLAZE-2' }, { sku: 'KILN-3' }] } };
const secrets = ['Priya', 'priya@', '960771', 'CLAY-1', 'GLAZE-2', 'KILN-3', 'Old name'];

function delivered(): { readonly version: ReturnType<typeof versionWith>; readonly state: ItemState } {
  const version = versionWith([each, row]);
  let step: Advance = advance(version, beginItem(record, at), { kind: 'begin' });
  let made = 0;
  while (step.effect) {
    const { effect } = step;
    made += 1;
    const there = { id: 'r7', record: { Number: 'GLAZE-2', Name: 'Old name' } };
    step = advance(
      version,
      step.state,
      effect.kind === 'find'
        ? { kind: 'found', matches: effect.by.value === 'GLAZE-2' ? [there] : [] }
        : effect.kind === 'write'
          ? { kind: 'written', id: `r${made}` }
          : { kind: 'not_readable' },
    );
  }
  return { version, state: step.state };
}

const trailOf = (version: ReturnType<typeof versionWith>, state: ItemState): string[] =>
  trailOfItem({
    takenAt: at,
    endedAt: at,
    version: 1,
    itemState: 'delivered',
    message: null,
    state,
    content: version.content,
    appOf: () => 'Shelf',
    writtenAt: {},
    decisions: [],
    journal: [],
  }).map(({ text }) => text);

test('nothing of what the record held is left; what each turn came to, with its id, is', () => {
  const { version, state } = delivered();
  const left = emptied(version.content, state);
  for (const secret of secrets) expect(JSON.stringify(left)).not.toContain(secret);
  expect(JSON.stringify(state)).toContain('Old name');
  expect(left).toMatchObject({ isEmptied: true, phase: 'ended', at: state.at });
  expect(layOut(version.content, left.values).map(({ id }) => id)).toEqual(
    layOut(version.content, state.values).map(({ id }) => id),
  );
  const idOf = (steps: ItemState['steps'], id: string) => (steps[id] as { readonly id?: string } | undefined)?.id;
  for (const id of ['row#1', 'row#2', 'row#3']) expect(idOf(left.steps, id)).toBe(idOf(state.steps, id));
});

test('its trail says what was made and which fields were changed, without the values', () => {
  const { version, state } = delivered();
  const [before, after] = [trailOf(version, state), trailOf(version, emptied(version.content, state))];
  expect(after).toHaveLength(before.length);
  expect(before.join('\n')).toContain('Name from “Old name” to “Priya Nair”');
  expect(after.join('\n')).toContain('Changed in Shelf (r5): Name.');
  expect(after.join('\n')).not.toContain('Priya');
});

test('emptied once more it is the same, and a write keeps what it was and whom it reached', () => {
  const { version, state } = delivered();
  const left = emptied(version.content, state);
  expect(emptied(version.content, left)).toEqual(left);
  const target = { connection: 'shelf', path: ['list.xlsx'], recordType: 'row' };
  const write = {
    kind: 'update' as const,
    target,
    id: 'r7',
    values: { '/Name': 'Priya' },
    types: { '/Name': 'text' as const },
  };
  expect(emptiedWrite({ ...write, before: { Name: 'Old name' }, key: { path: '/Number', value: 'GLAZE-2' } })).toEqual({
    kind: 'update',
    target,
    id: 'r7',
    values: {},
    types: {},
  });
});
