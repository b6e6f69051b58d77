import fc from 'fast-check';
import type { ComputeStep } from '../steps/compute/schema.ts';
import type { EachStep } from '../steps/each/schema.ts';
import type { Step } from '../steps/schemas.ts';
import { aField, fromField, priya, versionWith, writeToList } from '../testing/workflows.ts';
import { sentenceText, writeBrief } from '../workflow/brief.ts';
import { moveStep } from '../workflow/moves.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import { knownFields } from '../workflow/references.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { advance, beginItem } from './advance.ts';
import type { Advance, Answer, Effect } from './state.ts';

const at = '2026-11-24T09:00:00.000Z';
const each: EachStep = { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } };
const net: ComputeStep = {
  id: 'net',
  kind: 'compute',
  name: 'sums',
  values: [
    {
      name: 'net',
      text: 'SUM(order.lines.price)',
      refs: { 'order.lines.price': { step: 'start', path: '/lines/*/price' } },
    },
    { name: 'gross', text: 'ROUND(sums.net * 1.2; 2)', refs: { 'sums.net': { step: 'net', path: '/net' } } },
  ],
};
const row = writeToList({
  id: 'row',
  within: 'each',
  mode: 'append',
  key: undefined,
  mapping: {
    '/Number': { kind: 'field', ref: { step: 'each', path: '/sku' }, tidies: [] },
    '/Name': {
      kind: 'formula',
      text: 'LINE.NUMBER() & " of " & sums.gross',
      refs: { 'sums.gross': { step: 'net', path: '/gross' } },
    },
  },
});
const onlyClay: Step = {
  id: 'clay',
  kind: 'condition',
  within: 'each',
  condition: {
    kind: 'all',
    items: [{ kind: 'test', ref: { step: 'each', path: '/sku' }, operator: 'starts_with', values: ['CLAY'] }],
  },
};
const order = (skus: readonly string[]) => ({ ...priya, lines: skus.map((sku) => ({ sku, price: '10.10' })) });

function withLines(steps: Step[]): WorkflowVersion {
  const version = versionWith(steps);
  const { source } = version.content.start;
  if (!source) throw new Error('no source');
  const lines = aField('/lines', { type: 'list', fields: [aField('/sku'), aField('/price', { type: 'decimal' })] });
  const described = { ...source.described, fields: [...source.described.fields, lines] };
  return {
    ...version,
    content: { ...version.content, start: { ...version.content.start, source: { ...source, described } } },
  };
}

/** Answers every effect as an app would; refuses the writes that `refuse` names. */
function drive(version: WorkflowVersion, record: object, refuse: (effect: Effect) => boolean = () => false) {
  const writes: Extract<Effect, { kind: 'write' }>[] = [];
  let step: Advance = advance(version, beginItem(record as never, at), { kind: 'begin' });
  for (let guard = 0; step.effect && guard < 5000; guard++) {
    const { effect } = step;
    if (effect.kind === 'write') writes.push(effect);
    const answer: Answer = refuse(effect)
      ? { kind: 'refused', cause: 'refused', message: 'no' }
      : effect.kind === 'find'
        ? { kind: 'found', matches: [] }
        : effect.kind === 'write'
          ? { kind: 'written', id: `${writes.length}` }
          : { kind: 'not_readable' };
    step = advance(version, step.state, answer);
  }
  return { step, writes };
}

test('what stands within a for each is done once an item, with its number and what was calculated before', () => {
  const { step, writes } = drive(withLines([net, each, row]), order(['CLAY-1', 'GLAZE-2', 'CLAY-3']));
  expect(writes.map((one) => one.step)).toEqual(['row#1', 'row#2', 'row#3']);
  expect(writes.map((one) => one.write.values)).toEqual([
    { '/Number': 'CLAY-1', '/Name': '1 of 36.36' },
    { '/Number': 'GLAZE-2', '/Name': '2 of 36.36' },
    { '/Number': 'CLAY-3', '/Name': '3 of 36.36' },
  ]);
  expect(step.outcome).toEqual({ kind: 'delivered' });
  expect(step.state.steps['each']).toEqual({ kind: 'each', count: 3 });
  expect(step.state.steps['net']).toEqual({ kind: 'computed', values: { net: '30.3', gross: '36.36' } });
});

test('a condition within leaves out single items, not the record', () => {
  const { step, writes } = drive(withLines([net, each, onlyClay, row]), order(['CLAY-1', 'GLAZE-2', 'CLAY-3']));
  expect(writes.map((one) => one.write.values['/Number'])).toEqual(['CLAY-1', 'CLAY-3']);
  expect(step.state.steps['clay#2']).toMatchObject({ kind: 'left_out' });
  expect(step.outcome).toEqual({ kind: 'delivered' });
});

test('an item that is refused stops neither the others nor what comes after; a retry does only what is missing', () => {
  const version = withLines([net, each, row, writeToList({ id: 'after' })]);
  const failed = drive(version, order(['A', 'B', 'C']), (effect) => effect.kind === 'write' && effect.step === 'row#2');
  expect(failed.writes.map((one) => one.step)).toEqual(['row#1', 'row#2', 'row#3', 'after']);
  expect(failed.step.outcome).toMatchObject({ kind: 'unsettled', step: 'row#2' });
  const again = advance(version, failed.step.state, { kind: 'decided', decision: { kind: 'retry' } });
  expect(again.effect).toMatchObject({ kind: 'write', step: 'row#2' });
});

test('no item, no turn; too many are refused before the first is done', () => {
  expect(drive(withLines([net, each, row]), order([])).step.outcome).toEqual({ kind: 'delivered' });
  expect(drive(withLines([net, each, row]), { ...priya }).writes).toEqual([]);
  const many = drive(withLines([net, each, row]), order(Array.from({ length: 1001 }, (_, number) => `S${number}`)));
  expect(many.writes).toEqual([]);
  expect(many.step.outcome).toMatchObject({ kind: 'unsettled', step: 'each' });
});

test('a value that can’t be calculated is a problem of its own; set by hand it goes on', () => {
  const broken: ComputeStep = { ...net, values: [{ name: 'net', text: '1 / 0', refs: {} }] };
  const version = withLines([
    broken,
    writeToList({
      mapping: {
        '/Number': fromField('/id'),
        '/Name': { kind: 'field', ref: { step: 'net', path: '/net' }, tidies: [] },
      },
    }),
  ]);
  const { step } = drive(version, order([]));
  expect(step.outcome).toMatchObject({
    kind: 'unsettled',
    step: 'net',
    message: 'net: Division by zero.',
  });
  expect(step.state.steps['list']).toEqual({ kind: 'blocked', by: 'net' });
  const set = advance(version, step.state, {
    kind: 'decided',
    decision: { kind: 'set', step: 'net', values: { '/net': '7' } },
  });
  expect(set.effect).toMatchObject({ kind: 'find', step: 'list' });
  expect(set.state.values['net']).toEqual({ net: '7' });
});

test('a place calculated for each record; empty it is a problem, not a write into nowhere', () => {
  const byCountry = writeToList({
    mode: 'append',
    key: undefined,
    placeBy: { text: 'customer.country', refs: { 'customer.country': { step: 'start', path: '/address/country' } } },
  });
  const { writes } = drive(withLines([byCountry]), priya);
  expect(writes[0]?.write.target.path).toEqual(['list.xlsx', 'GB']);
  expect(drive(withLines([byCountry]), { ...priya, address: {} }).step.outcome).toMatchObject({
    kind: 'unsettled',
    cause: 'value',
  });
});

test('what one turn made is known within it and nowhere else; the brief reads so', () => {
  const { content } = withLines([net, each, row, writeToList({ id: 'after' })]);
  const inside = knownFields(content, 'row').map(({ ref }) => `${ref.step}${ref.path}`);
  expect(inside).toEqual(expect.arrayContaining(['each/sku', 'net/gross', 'start/lines/*/sku']));
  const outside = knownFields(content, 'after').map(({ ref }) => ref.step);
  expect(outside).not.toContain('each');
  expect(outside).not.toContain('row');
  expect(writeBrief(content, {}).map((one) => [sentenceText(one), one.isWithin ?? false])).toEqual(
    expect.arrayContaining([
      ['Work out net and gross.', false],
      ['For each of lines:', false],
    ]),
  );
  expect(checkReadiness(content).filter((one) => one.severity === 'blocks')).toEqual([]);
});

test('a value that uses one below it, a name given twice and a list that is none are told', () => {
  const [first, second] = net.values;
  if (!first || !second) throw new Error('two values');
  const said = (steps: Step[]) =>
    checkReadiness(withLines(steps).content)
      .map((one) => one.message)
      .join(' ');
  expect(said([{ ...net, values: [second, first] }, writeToList()])).toContain('calculated only after it');
  expect(said([{ ...net, values: [first, first] }, writeToList()])).toContain('Two values are called “net”');
  expect(said([{ ...each, over: { step: 'start', path: '/name' } }, row, writeToList()])).toContain('not a list');
  expect(said([{ ...each, over: null }, writeToList()])).toContain('Choose the list');
});

test('moved into and out of a for each a sentence belongs where it stands; a for each takes its own along', () => {
  const { content } = withLines([net, each, row, writeToList({ id: 'after' })]);
  const inside = moveStep(content, 'after', 2);
  expect(inside.steps.map((step) => step.id)).toEqual(['net', 'each', 'after', 'row']);
  expect(inside.steps[2]).toMatchObject({ within: 'each' });
  expect(moveStep(inside, 'after', 1).steps[1]).not.toHaveProperty('within');
  expect(moveStep(content, 'each', 0).steps.map((step) => step.id)).toEqual(['each', 'row', 'net', 'after']);
});

test('property: as many writes as kept items, each with an id of its own, and a stored state goes on alike', () => {
  fc.assert(
    fc.property(
      fc.array(fc.constantFrom('CLAY-1', 'GLAZE-2', ''), { maxLength: 12 }),
      fc.boolean(),
      (skus, isFiltered) => {
        const version = withLines(isFiltered ? [net, each, onlyClay, row] : [net, each, row]);
        const { writes, step } = drive(version, order(skus));
        expect(writes).toHaveLength(isFiltered ? skus.filter((sku) => sku.startsWith('CLAY')).length : skus.length);
        expect(new Set(writes.map((one) => one.step)).size).toBe(writes.length);
        expect(JSON.parse(JSON.stringify(step.state))).toEqual(step.state);
      },
    ),
    { seed: 1000, numRuns: 60 },
  );
});
