import fc from 'fast-check';
import type { Step } from '../steps/schemas.ts';
import { pauseStep } from '../testing/pause-step.ts';
import { aField, contentWith, keepBritish, priya, shop, versionWith, writeToList } from '../testing/workflows.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { AdvanceError, advance, beginItem } from './advance.ts';
import { takeOnPaper } from './on-paper.ts';
import type { Advance, Answer, ItemState } from './state.ts';

// A kind of step that waits, put into the registry for this test: waiting is what advance offers any kind.
jest.mock('../steps/registry.ts', () =>
  jest
    .requireActual<typeof import('../testing/pause-step.ts')>('../testing/pause-step.ts')
    .registryWithPause(jest.requireActual('../steps/registry.ts')),
);

const at = '2026-11-24T09:00:00.000Z';
const byTime: Answer = { kind: 'woken', by: { kind: 'time' } };
const append = writeToList({ mode: 'append', key: undefined });

test('a parked item holds nothing but its state, and goes on after the step with what woke it', () => {
  const version = versionWith([keepBritish, pauseStep('wait', { minutes: 90 }), append]);
  const parked = advance(version, beginItem(priya, at), { kind: 'begin' });
  expect(parked).toMatchObject({
    park: { step: 'wait', until: '2026-11-24T10:30:00.000Z', message: 'Waits.' },
    state: { phase: 'parked', at: 1 },
  });
  expect([parked.effect, parked.outcome]).toEqual([undefined, undefined]);
  const stored = JSON.parse(JSON.stringify(parked.state)) as ItemState;
  const woken = advance(version, stored, {
    kind: 'woken',
    by: { kind: 'event', event: 'paid', told: { by: 'Robin' } },
  });
  expect(woken.effect).toMatchObject({ kind: 'write', step: 'list' });
  expect(JSON.parse((woken.state.steps['wait'] as { why: string }).why)).toEqual({
    kind: 'event',
    event: 'paid',
    told: { by: 'Robin' },
  });
});

test('each turn of a “for each” waits by itself, under its own id', () => {
  const lines = aField('/lines', { type: 'list', fields: [aField('/sku')] });
  const source = { ...shop, described: { ...shop.described, fields: [...shop.described.fields, lines] } };
  const content = contentWith(
    [
      { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
      pauseStep('wait', { within: 'each', minutes: 5 }),
      append,
    ],
    { source },
  );
  const version = { ...versionWith([]), content };
  let step = advance(version, beginItem({ ...priya, lines: [{ sku: 'A' }, { sku: 'B' }] }, at), { kind: 'begin' });
  const waitedAt: (string | undefined)[] = [];
  while (step.park) {
    waitedAt.push(step.park.step);
    step = advance(version, step.state, byTime);
  }
  expect(waitedAt).toEqual(['wait#1', 'wait#2']);
  expect(step.effect).toMatchObject({ kind: 'write', step: 'list' });
});

test('a person can dismiss what waits; a retry begins the wait anew, and nothing else moves it', () => {
  const version = versionWith([pauseStep('wait', { event: 'paid' }), append]);
  const parked = advance(version, beginItem(priya, at), { kind: 'begin' });
  const end = advance(version, parked.state, { kind: 'decided', decision: { kind: 'dismiss', reason: 'too late' } });
  expect(end.outcome).toEqual({ kind: 'dismissed', reason: 'too late' });
  const again = advance(version, parked.state, { kind: 'decided', decision: { kind: 'retry' } });
  expect(again.park).toEqual(parked.park);
  const strange: Answer[] = [
    { kind: 'begin' },
    { kind: 'stale' },
    { kind: 'found', matches: [] },
    { kind: 'refused', cause: 'refused', message: 'no' },
  ];
  for (const answer of strange) expect(() => advance(version, parked.state, answer)).toThrow(AdvanceError);
});

test('only what is parked is woken', () => {
  const version = versionWith([pauseStep('wait', { minutes: 1 }), append]);
  const writing = advance(version, advance(version, beginItem(priya, at), { kind: 'begin' }).state, byTime);
  expect(writing.effect).toMatchObject({ kind: 'write' });
  expect(() => advance(version, writing.state, byTime)).toThrow(AdvanceError);
});

test('nothing is waited for on paper, and the step can say so', () => {
  const version = versionWith([pauseStep('wait', { minutes: 60 * 24 }), append]);
  const { state } = takeOnPaper(version, priya, at, {});
  expect(state.phase).toBe('ended');
  expect(state.steps['wait']).toEqual({ kind: 'kept', why: '{"kind":"skipped"}' });
});

/** Gives the answers that fit, and holds that an item asks, waits or has ended: one of them. */
function drive(
  version: WorkflowVersion,
  record: JsonRecord,
  answers: readonly Answer[],
  between: (state: ItemState) => ItemState,
): Advance {
  let now = advance(version, beginItem(record, at), { kind: 'begin' });
  for (const one of answers) {
    if ((one.kind === 'decided') !== (now.outcome?.kind === 'unsettled')) continue;
    try {
      now = advance(version, between(now.state), one);
    } catch (error) {
      if (!(error instanceof AdvanceError)) throw error;
    }
    expect([now.effect, now.park, now.outcome].filter((arm) => arm !== undefined)).toHaveLength(1);
    expect(now.state.phase === 'parked').toBe(now.park !== undefined);
  }
  return now;
}

describe('over any order of steps and any answers', () => {
  const kinds: Record<string, (id: string) => Step> = {
    keep: (id) => ({ ...keepBritish, id }),
    wait: (id) => pauseStep(id, { minutes: 3 }),
    holds: (id) => pauseStep(id, { event: 'e', holdsLater: true }),
    write: (id) => ({ ...append, id }),
    off: (id) => ({ ...append, id, isOff: true }),
  };
  const steps = fc
    .array(fc.constantFrom(...Object.keys(kinds)), { minLength: 1, maxLength: 6 })
    .map((names) => names.map((name, index) => (kinds[name] as (id: string) => Step)(`${name}-${index}`)));
  const answer = fc.constantFrom<Answer>(
    byTime,
    { kind: 'woken', by: { kind: 'person' } },
    { kind: 'written', id: '7', record: { Name: 'Priya' } },
    { kind: 'read', record: null },
    { kind: 'not_readable' },
    { kind: 'refused', cause: 'refused', message: 'no' },
    { kind: 'stale' },
    { kind: 'decided', decision: { kind: 'retry' } },
  );
  const country = fc.constantFrom('GB', 'SE');

  test('an item asks, waits or has ended, one of them; stored in between it comes to the same', () => {
    fc.assert(
      fc.property(steps, country, fc.array(answer, { maxLength: 30 }), (some, where, answers) => {
        const version = versionWith(some);
        const record = { ...priya, address: { country: where } };
        const stored = drive(version, record, answers, (state) => JSON.parse(JSON.stringify(state)) as ItemState);
        expect(stored).toEqual(JSON.parse(JSON.stringify(drive(version, record, answers, (state) => state))));
      }),
    );
  });

  test('what waits keeps nothing back from an item that is woken each time: it ends as one without waits', () => {
    fc.assert(
      fc.property(steps, country, (some, where) => {
        const version = versionWith(some);
        const record = { ...priya, address: { country: where } };
        const plain = versionWith(
          some.map((step) => (step.id.match(/^(wait|holds)/) ? { ...step, isOff: true } : step)),
        );
        const withWaits = takeOnPaper(version, record, at, {}).state;
        const without = takeOnPaper(plain, record, at, {}).state;
        const written = (state: ItemState) =>
          Object.entries(state.steps).filter(([, result]) => result.kind === 'written');
        expect(written(withWaits)).toEqual(written(without));
      }),
    );
  });
});
