import fc from 'fast-check';
import { addsUp, figuresOf } from './figures.ts';
import { type Reconciled, Reconciler, type Rung } from './reconciler.ts';

interface Given {
  readonly id: string;
  readonly keys: readonly string[];
  readonly digest: string;
}

const identifying: Rung = { identifies: true };
const weak: Rung = { identifies: false };

function reconcile(
  left: readonly Given[],
  right: readonly Given[],
  rungs: readonly Rung[] = [identifying],
  links: readonly (readonly [string, string])[] = [],
): Reconciled {
  const reconciler = new Reconciler(rungs);
  for (const { id, keys, digest } of left) reconciler.add('left', id, keys, digest);
  for (const { id, keys, digest } of right) reconciler.add('right', id, keys, digest);
  for (const [one, other] of links) reconciler.link(one, other);
  return reconciler.finish();
}

const record = (id: string, ...keys: string[]): Given => ({ id, keys, digest: 'same' });

/** The same, whatever the order: each class as a sorted list of sorted groups. */
function plain(found: Reconciled) {
  const pairs = (some: Reconciled['agree']) => some.map(({ left, right }) => `${left}=${right}`).sort();
  const groups = (some: Reconciled['doubled']) =>
    some.map(({ left, right }) => `${[...left].sort()}|${[...right].sort()}`).sort();
  return {
    agree: pairs(found.agree),
    differ: pairs(found.differ),
    onlyLeft: [...found.onlyLeft].sort(),
    onlyRight: [...found.onlyRight].sort(),
    doubled: groups(found.doubled),
    unclear: groups(found.unclear),
  };
}

const some = fc.array(
  fc.record({
    keys: fc.tuple(fc.constantFrom('', 'a', 'b', 'c', 'd'), fc.constantFrom('', 'x', 'y', 'z')),
    digest: fc.constantFrom('same', 'other'),
  }),
  { maxLength: 9 },
);
const sets = fc.record({
  left: some.map((all) => all.map((one, at) => ({ ...one, id: `l${at}` }))),
  right: some.map((all) => all.map((one, at) => ({ ...one, id: `r${at}` }))),
  links: fc.array(fc.tuple(fc.nat(8), fc.nat(8)), { maxLength: 4 }),
  rungs: fc.constantFrom([identifying, identifying], [identifying, weak], [weak, identifying]),
});
const linked = (links: readonly (readonly [number, number])[]) =>
  links.map(([one, other]) => [`l${one}`, `r${other}`] as const);

test('each record of both sides is accounted for exactly once, whatever they hold', () => {
  fc.assert(
    fc.property(sets, ({ left, right, links, rungs }) => {
      const found = reconcile(left, right, rungs, linked(links));
      expect(addsUp(figuresOf(found))).toBe(true);
      const groups = [...found.doubled, ...found.unclear];
      const pairs = [...found.agree, ...found.differ];
      const lefts = [...found.onlyLeft, ...pairs.map((one) => one.left), ...groups.flatMap((one) => one.left)];
      const rights = [...found.onlyRight, ...pairs.map((one) => one.right), ...groups.flatMap((one) => one.right)];
      expect(lefts.sort()).toEqual(left.map(({ id }) => id).sort());
      expect(rights.sort()).toEqual(right.map(({ id }) => id).sort());
    }),
  );
});

test('it comes to the same in any order, and the other way round when the sides are swapped', () => {
  fc.assert(
    fc.property(sets, fc.infiniteStream(fc.nat()), ({ left, right, links, rungs }, random) => {
      const shuffled = <T>(all: readonly T[]): T[] =>
        all
          .map((one) => ({ one, by: random.next().value as number }))
          .sort((a, b) => a.by - b.by)
          .map(({ one }) => one);
      const found = plain(reconcile(left, right, rungs, linked(links)));
      expect(plain(reconcile(shuffled(left), shuffled(right), rungs, shuffled(linked(links))))).toEqual(found);
      const swapped = plain(
        reconcile(
          right,
          left,
          rungs,
          linked(links).map(([one, other]) => [other, one] as const),
        ),
      );
      expect(swapped.onlyLeft).toEqual(found.onlyRight);
      expect(swapped.agree.map((pair) => pair.split('=').reverse().join('=')).sort()).toEqual(found.agree);
      expect(swapped.doubled.map((group) => group.split('|').reverse().join('|')).sort()).toEqual(found.doubled);
    }),
  );
});

test('with one key it comes to what a plain script counts', () => {
  fc.assert(
    fc.property(sets, ({ left, right }) => {
      // A script that knows nothing of rungs and groups: how often each key stands on each side.
      const keys = new Set([...left, ...right].map((one) => one.keys[0]).filter(Boolean));
      const expected = { agree: 0, differ: 0, onlyLeft: 0, onlyRight: 0, doubled: 0 };
      for (const key of keys) {
        const [here, there] = [left, right].map((side) => side.filter((one) => one.keys[0] === key)) as unknown as [
          Given[],
          Given[],
        ];
        if (here.length > 1 || there.length > 1) expected.doubled += 1;
        else if (there.length === 0) expected.onlyLeft += 1;
        else if (here.length === 0) expected.onlyRight += 1;
        else expected[here[0]?.digest === there[0]?.digest ? 'agree' : 'differ'] += 1;
      }
      expected.onlyLeft += left.filter((one) => one.keys[0] === '').length;
      expected.onlyRight += right.filter((one) => one.keys[0] === '').length;
      expect(figuresOf(reconcile(left, right))).toMatchObject(expected);
    }),
  );
});

test('a pair that is remembered counts before all keys; a second copy there is a double of it', () => {
  const found = reconcile(
    [record('l1', 'family@x'), record('l2', 'family@x')],
    [record('r1', 'family@x'), record('r2', 'family@x')],
    [identifying],
    [
      ['l1', 'r1'],
      ['l2', 'r2'],
    ],
  );
  expect(plain(found)).toMatchObject({ agree: ['l1=r1', 'l2=r2'], doubled: [], unclear: [] });
  const copied = reconcile([record('l1', 'a')], [record('r1', 'b'), record('r2', 'a')], [identifying], [['l1', 'r1']]);
  expect(plain(copied)).toMatchObject({ agree: [], doubled: ['l1|r1,r2'] });
  // Two pairs with that key: whose copy it is can't be told.
  const third = reconcile(
    [record('l1', 'a'), record('l2', 'a')],
    [record('r1', 'a'), record('r2', 'a'), record('r3', 'a')],
    [identifying],
    [
      ['l1', 'r1'],
      ['l2', 'r2'],
    ],
  );
  expect(plain(third)).toMatchObject({ agree: ['l1=r1', 'l2=r2'], unclear: ['|r3'] });
});

test('what several may share only finds who is left over, where it is clear and nothing speaks against it', () => {
  const rungs = [identifying, weak];
  // By name, where no e-mail is known on one side.
  expect(plain(reconcile([record('l1', '', 'ann')], [record('r1', 'a@x', 'ann')], rungs)).agree).toEqual(['l1=r1']);
  // Two of that name, and two with other addresses, are nobody's business but a person's.
  expect(
    plain(reconcile([record('l1', '', 'ann')], [record('r1', '', 'ann'), record('r2', '', 'ann')], rungs)).unclear,
  ).toEqual(['l1|r1,r2']);
  expect(plain(reconcile([record('l1', 'a@x', 'ann')], [record('r1', 'b@x', 'ann')], rungs)).unclear).toEqual([
    'l1|r1',
  ]);
  // A namesake of a pair isn't its double.
  expect(
    plain(reconcile([record('l1', 'a@x', 'ann'), record('l2', '', 'ann')], [record('r1', 'a@x', 'ann')], rungs)),
  ).toMatchObject({ agree: ['l1=r1'], onlyLeft: ['l2'], doubled: [], unclear: [] });
});

test('copies on one side alone are told, and wait for a partner that another key finds', () => {
  const rungs = [identifying, identifying];
  expect(plain(reconcile([], [record('r1', 'a', ''), record('r2', 'a', '')], rungs)).doubled).toEqual(['|r1,r2']);
  expect(
    plain(reconcile([record('l1', '', 't')], [record('r1', 'a', 't'), record('r2', 'a', '')], rungs)).doubled,
  ).toEqual(['l1|r1,r2']);
});

test('two records of one side with one id are no set', () => {
  const reconciler = new Reconciler([identifying]);
  reconciler.add('left', '1', ['a'], '');
  reconciler.add('right', '1', ['a'], '');
  expect(() => reconciler.add('left', '1', ['b'], '')).toThrow('Two records of one side have the id "1".');
});
