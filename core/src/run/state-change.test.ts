import fc from 'fast-check';
import type { Step } from '../steps/schemas.ts';
import { aField, fromField, priya, versionWith, writeToList } from '../testing/workflows.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { advance, beginItem } from './advance.ts';
import { layOut, scopeAt } from './lay-out.ts';
import type { Advance, Answer, Effect, ItemState } from './state.ts';
import { changeOf, type StateChange, withChanges } from './state-change.ts';

// Of an item with many turns only what has changed is stored. Whatever a workflow does and whatever it is answered, the
// changes put together have to give the same state as `advance` did, to the order of the results: that says which of
// several open steps a person is asked about first.

const at = '2026-11-24T09:00:00.000Z';
const asStored = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

const named = { '/Number': fromField('/id'), '/Name': fromField('/name') };
const fromTurn = (each: string) => ({ kind: 'field' as const, ref: { step: each, path: '/sku' }, tidies: [] });

/** What may stand within a "for each" or outside of it. */
const kinds: Readonly<Record<string, (id: string, each: string | undefined) => Step>> = {
  found: (id, each) =>
    writeToList({
      id,
      within: each,
      mapping: { '/Number': each ? fromTurn(each) : fromField('/id'), '/Name': fromField('/name') },
    }),
  added: (id, each) => writeToList({ id, within: each, mode: 'append', key: undefined, mapping: named }),
  stops: (id, each) => writeToList({ id, within: each, mode: 'append', key: undefined, rest: 'stops' }),
  sum: (id, each) => ({
    id,
    kind: 'compute',
    within: each,
    name: id,
    values: [{ name: 'at', text: each ? 'LINE.NUMBER() * 2' : '2 * 2', refs: {} }],
  }),
  only: (id, each) => ({
    id,
    kind: 'condition',
    within: each,
    condition: {
      kind: 'test',
      ref: each ? { step: each, path: '/sku' } : { step: 'start', path: '/id' },
      operator: 'is_not_empty',
      values: [],
    },
  }),
  off: (id, each) => writeToList({ id, within: each, isOff: true }),
};

const kindName = fc.constantFrom(...Object.keys(kinds));
const workflow = fc
  .array(fc.oneof(kindName, fc.array(kindName, { minLength: 1, maxLength: 3 })), { minLength: 1, maxLength: 4 })
  .map((parts) =>
    withLines(
      parts.flatMap((part, no): Step[] =>
        typeof part === 'string'
          ? [kinds[part]?.(`s${no}`, undefined) as Step]
          : [
              { id: `each${no}`, kind: 'each', over: { step: 'start', path: '/lines' } },
              ...part.map((name, inner) => kinds[name]?.(`s${no}-${inner}`, `each${no}`) as Step),
            ],
      ),
    ),
  );

function withLines(steps: Step[]): WorkflowVersion {
  const version = versionWith(steps);
  const { start } = version.content;
  const lines = aField('/lines', { type: 'list', fields: [aField('/sku')] });
  const described = { ...start.source?.described, fields: [...(start.source?.described.fields ?? []), lines] };
  const source = { ...start.source, described } as NonNullable<typeof start.source>;
  return { ...version, content: { ...version.content, start: { ...start, source } } };
}

/** What an app may say to an effect. */
function answerTo(effect: Effect, said: number): Answer {
  if (said === 0) return { kind: 'refused', cause: 'refused', message: 'no' };
  if (effect.kind === 'find') {
    const there = { id: 'r1', record: { Number: 'r1', Name: 'Ada' } };
    return { kind: 'found', matches: said === 1 ? [there] : [] };
  }
  if (effect.kind === 'write') return said === 2 ? { kind: 'stale' } : { kind: 'written', id: `w${said}` };
  return said === 3 ? { kind: 'read', record: { Number: 'r1', Name: 'Ada' } } : { kind: 'not_readable' };
}

/** All states of an item, each with what came next. */
function statesOf(version: WorkflowVersion, skus: readonly string[], said: readonly number[]): Advance[] {
  const record = { ...priya, lines: skus.map((sku) => ({ sku })) };
  const states = [advance(version, beginItem(record, at), { kind: 'begin' })];
  for (let no = 0; no < 200; no++) {
    const { state, effect } = states.at(-1) as Advance;
    if (!effect) break;
    // An app that always says it has changed meanwhile would never come to an end.
    const word = said[no % Math.max(1, said.length)] ?? 4;
    states.push(advance(version, state, answerTo(effect, word === 2 && no > 100 ? 4 : word)));
  }
  return states;
}

const lives = fc.tuple(
  workflow,
  fc.array(fc.constantFrom('CLAY', 'GLAZE', ''), { maxLength: 8 }),
  fc.array(fc.nat({ max: 5 }), { maxLength: 12 }),
);

test('property: a stored state and what has changed since give the state that it came to', () => {
  let inPieces = 0;
  fc.assert(
    fc.property(lives, ([version, skus, said]) => {
      const states = statesOf(version, skus, said).map(({ state }) => state);
      let stored: { readonly row: ItemState; readonly changes: StateChange[] } | undefined;
      for (const [no, state] of states.entries()) {
        const before = states[no - 1];
        const change = before && changeOf(version.content, before, state);
        if (stored && change) {
          stored.changes.push(asStored(change));
          inPieces += 1;
        } else stored = { row: asStored(state), changes: [] };
        const now = withChanges(stored.row, stored.changes);
        expect(now).toEqual(asStored(state));
        expect(Object.keys(now.steps)).toEqual(Object.keys(state.steps));
        expect(Object.keys(now.values)).toEqual(Object.keys(state.values));
      }
    }),
    { seed: 2600, numRuns: 300 },
  );
  // Most of what is stored is a change, else nothing is shown by this.
  expect(inPieces).toBeGreaterThan(1000);
});

test('what is stored for a turn doesn’t grow with the turns before it', () => {
  const version = withLines([
    { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
    kinds['sum']?.('sum', 'each') as Step,
    kinds['found']?.('row', 'each') as Step,
  ]);
  const skus = Array.from({ length: 120 }, (_, no) => `S${String(no).padStart(4, '0')}`);
  const states = statesOf(version, skus, [5, 5, 5]).map(({ state }) => state);
  const sizes = states.slice(1).map((state, no) => {
    return JSON.stringify(changeOf(version.content, states[no] as ItemState, state)).length;
  });
  expect(sizes.length).toBeGreaterThan(150);
  expect(Math.max(...sizes.slice(-6))).toBeLessThan(Math.max(...sizes.slice(3, 9)) * 1.2);
});

test('going back, what was woken and a start that was read anew are stored whole', () => {
  const version = withLines([kinds['sum']?.('sum', undefined) as Step, kinds['found']?.('row', undefined) as Step]);
  const [begun, found] = statesOf(version, [], [5]).map(({ state }) => state) as [ItemState, ItemState];
  expect(changeOf(version.content, begun, found)).toBeDefined();
  expect(changeOf(version.content, begun, { ...found, at: 0 })).toBeUndefined();
  expect(changeOf(version.content, { ...begun, phase: 'parked' }, found)).toBeUndefined();
  const anew = { ...found, values: { ...found.values, start: { ...priya, lines: [{ sku: 'A' }] } } };
  expect(changeOf(version.content, begun, anew)).toBeUndefined();
});

test('a turn knows the record, what was made known before and its own, and lines what was found for each of them', () => {
  const { content } = withLines([
    kinds['sum']?.('before', undefined) as Step,
    { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
    kinds['sum']?.('own', 'each') as Step,
    kinds['sum']?.('later', undefined) as Step,
  ]);
  const values = {
    start: { lines: [{ sku: 'A' }, { sku: 'B' }] },
    before: { at: '4' },
    'own#1': { at: '2' },
    'own#2': { at: '4' },
  };
  const [, , second] = layOut(content, values).filter(({ turn }) => turn?.number !== 1);
  expect(second?.id).toBe('own#2');
  expect(scopeAt(content, values, second?.turn)).toEqual({
    start: values.start,
    before: { at: '4' },
    each: { sku: 'B' },
    own: { at: '4' },
  });
  // The same list is laid out once; another one anew.
  expect(layOut(content, { ...values, more: {} })).toBe(layOut(content, values));
  expect(layOut(content, { ...values, start: { lines: [{ sku: 'C' }] } })).toHaveLength(4);

  const filled = { '/Lines': { kind: 'lines' as const, ref: { step: 'start', path: '/lines' }, mapping: {} } };
  const lines = { ...content, steps: [...content.steps, writeToList({ id: 'w', within: 'each', mapping: filled })] };
  expect(scopeAt(lines, values, second?.turn)).toMatchObject({ 'own#1': { at: '2' } });
});
