import fc from 'fast-check';
import type { Value } from '../values/value.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import { fieldsInStep } from './fields.ts';
import { fieldOwners, type InStepSetting, usualInStep } from './setting.ts';
import { legs, pairs, plain, type Say, TwoApps } from './testing/two-apps.ts';
import { unwoven, weave } from './weave.ts';

const setting = (more: Partial<InStepSetting> = {}): InStepSetting => ({ ...usualInStep, ...more });
const here: Say = ({ given }) => given ?? null;

/** Looks at both sides, so many times; gives how many writes each round made. */
const rounds = (apps: TwoApps, count: number): number[] =>
  Array.from({ length: count }, () => {
    const before = apps.writes;
    apps.look('one');
    apps.look('two');
    return apps.writes - before;
  });

describe('two directions woven into a pair', () => {
  test('the second direction follows from the first: plain copies back, recognised by the same field', () => {
    const { there, here } = legs();
    const woven = weave({ there, here }, usualInStep, 'pair-1');
    expect(fieldsInStep(woven, usualInStep).map(({ path, goes, owner }) => [path, goes, owner])).toEqual(
      pairs.map(([, path]) => [path, 'both', 'ask']),
    );
    const [write, back] = woven.here.steps;
    expect(write).toMatchObject({
      ladder: { rungs: [{ kind: 'exact', fields: ['/mail'] }], remembers: 'start', atGone: 'leave' },
    });
    expect(back).toMatchObject({ mapping: { '/telephone': { ref: { step: 'write-1', path: '/phone' } } } });
    for (const content of [woven.there, woven.here]) expect(checkReadiness(content)).toEqual([]);
  });

  test('woven again nothing changes, and unwoven it is what it was', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...fieldOwners),
        fc.constantFrom(...fieldOwners),
        fc.constantFrom('empties' as const, 'refills' as const),
        (usual, first, emptied) => {
          const chosen = setting({ usual, first, emptied });
          const woven = weave(legs(), chosen, 'pair-1');
          expect(weave(woven, chosen, 'pair-1')).toEqual(woven);
          expect(unwoven(woven.there).steps).toHaveLength(1);
        },
      ),
    );
  });
});

test('a place whose records have no ids of their own can’t be kept in step, and is told so', () => {
  const { there, here } = legs();
  const identified = { ...there, start: { ...there.start, identity: '/mail' } };
  expect(() => weave({ there: identified, here }, usualInStep, 'pair-1')).toThrow('have no ids of their own');
  expect(() => weave({ there, here: there }, usualInStep, 'pair-1')).toThrow('don’t lead from one place to the other');
});

describe('one change, and what becomes of it', () => {
  const together = (more: Partial<InStepSetting> = {}, say: Say = here): TwoApps => {
    const apps = new TwoApps(setting(more), say);
    apps.save('one', 'a', { '/name': 'Ada Moss', '/mail': 'ada@clay.example', '/phone': '020 7946 0018' });
    rounds(apps, 1);
    return apps;
  };
  const records = (apps: TwoApps) => {
    const [a] = [...apps.apps.one.values()];
    const [b] = [...apps.apps.two.values()];
    return { one: a && plain('one', a), two: b && plain('two', b), theirs: b };
  };

  test('somebody new goes over once, and its own echo writes nothing, whatever the app made of it', () => {
    const apps = together();
    expect(apps.apps.two.size).toBe(1);
    expect(records(apps).theirs).toMatchObject({ telephone: '+442079460018' });
    expect(rounds(apps, 2)).toEqual([0, 0]);
  });

  test('changes of different fields on both sides both go over, in one round, and nobody is asked', () => {
    const apps = together();
    apps.save('one', 'a', { '/name': 'Ada Moss-Reed' });
    apps.save('two', apps.links.one.get('a') ?? '', { '/telephone': '+44 20 7946 0999' });
    expect(rounds(apps, 2)).toEqual([2, 0]);
    expect(apps.asked).toBe(0);
    expect(records(apps).one).toMatchObject({ '/name': 'Ada Moss-Reed', '/phone': '+442079460999' });
    expect(records(apps).two).toEqual(records(apps).one);
  });

  test.each([
    ['what the one side has', 'Ada One', here],
    ['what the other has', 'Ada Two', ({ there }) => there ?? null],
    ['neither', 'Ada Three', () => 'Ada Three'],
  ] as [string, string, Say][])('both changed the same field: asked once, and %s goes to both', (_what, name, say) => {
    const apps = together({}, say);
    apps.save('one', 'a', { '/name': 'Ada One' });
    apps.save('two', apps.links.one.get('a') ?? '', { '/full_name': 'Ada Two' });
    rounds(apps, 2);
    expect(apps.asked).toBe(1);
    expect([records(apps).one?.['/name'], records(apps).two?.['/name']]).toEqual([name, name]);
  });

  test('the later change wins where that was chosen, from whichever side', () => {
    for (const [first, second] of [
      ['one', 'two'],
      ['two', 'one'],
    ] as const) {
      const apps = together({ usual: 'newer' });
      for (const side of [first, second])
        apps.save(side, side === 'one' ? 'a' : (apps.links.one.get('a') ?? ''), {
          [side === 'one' ? '/name' : '/full_name']: `Ada of ${side}`,
        });
      rounds(apps, 2);
      expect([records(apps).one?.['/name'], records(apps).two?.['/name']]).toEqual([
        `Ada of ${second}`,
        `Ada of ${second}`,
      ]);
    }
  });

  test('a field that is always from one side is put back where somebody changes it on the other', () => {
    const apps = together({ owners: { '/full_name': 'here' } });
    apps.save('two', apps.links.one.get('a') ?? '', { '/full_name': 'Somebody else' });
    expect(rounds(apps, 2)).toEqual([1, 0]);
    expect(records(apps).two).toMatchObject({ '/name': 'Ada Moss' });
  });

  test('what was emptied is filled again, or emptied on the other side too where that was chosen', () => {
    for (const [emptied, left] of [
      ['refills', '+442079460018'],
      ['empties', null],
    ] as const) {
      const apps = together({ emptied });
      apps.save('two', apps.links.one.get('a') ?? '', { '/telephone': null });
      rounds(apps, 2);
      expect([records(apps).one?.['/phone'], records(apps).two?.['/phone']]).toEqual([left, left]);
    }
  });

  test('a no goes over from either side, whoever owns the field, and no yes comes after it', () => {
    const apps = together({ owners: { '/status': 'here' } });
    apps.save('one', 'a', { '/may_be_mailed': true });
    rounds(apps, 1);
    apps.save('two', apps.links.one.get('a') ?? '', { '/status': 'unsubscribed' });
    rounds(apps, 2);
    expect(records(apps).one).toMatchObject({ '/may_be_mailed': false });
    // Somebody says yes again here: the no there stands until it is taken back there.
    apps.save('one', 'a', { '/may_be_mailed': true });
    expect(rounds(apps, 2)).toEqual([0, 0]);
    expect(records(apps).two).toMatchObject({ '/may_be_mailed': false });
  });

  test('what says nothing of a consent, such as a mail that came back, stays as it is', () => {
    const apps = together();
    apps.save('one', 'a', { '/may_be_mailed': true });
    rounds(apps, 1);
    apps.save('two', apps.links.one.get('a') ?? '', { '/status': 'bounced' });
    expect(rounds(apps, 2)).toEqual([0, 0]);
    expect(records(apps)).toMatchObject({ one: { '/may_be_mailed': true }, theirs: { status: 'bounced' } });
  });

  test('the first time the rule decides, and what is empty on one side is filled from the other', () => {
    for (const [first, name] of [
      ['here', 'Ada'],
      ['there', 'Ada Moss'],
      ['newer', 'Ada Moss'],
    ] as const) {
      const apps = new TwoApps(setting({ first }), here);
      apps.save('one', 'a', { '/name': 'Ada', '/mail': 'ada@clay.example', '/phone': '020 7946 0018' });
      apps.save('two', 'b', { '/full_name': 'Ada Moss', '/e_mail': 'ADA@clay.example', '/status': 'unsubscribed' });
      rounds(apps, 2);
      expect(apps.asked).toBe(0);
      expect(records(apps).one).toMatchObject({
        '/name': name,
        '/phone': '020 7946 0018'.length > 0 && '+442079460018',
      });
      expect(records(apps).two).toMatchObject({ '/name': name, '/phone': '+442079460018', '/may_be_mailed': false });
      expect(rounds(apps, 1)).toEqual([0]);
    }
  });
});

/** What people save in a field: the name, a telephone, or whether somebody may be mailed. */
const saved = fc.oneof(
  fc.record({ field: fc.constant(0), value: fc.constantFrom<Value>('Ada', 'Ada Moss', 'A. Moss') }),
  fc.record({
    field: fc.constant(2),
    value: fc.constantFrom<Value>('020 7946 0018', '+44 20 7946 0999', '', null, '+44 20 7946 0018'),
  }),
  fc.record({ field: fc.constant(3), value: fc.constantFrom<Value>('subscribed', 'unsubscribed', 'bounced') }),
);

/** A day in two offices: people save what they like, and now and then one of the sides is looked at. */
const sides = fc.constantFrom('one' as const, 'two' as const);
const days = fc.array(
  fc.oneof(
    { weight: 5, arbitrary: fc.record({ side: sides, who: fc.integer({ min: 0, max: 2 }), saved }) },
    { weight: 2, arbitrary: sides },
  ),
  { maxLength: 24 },
);
type Act = typeof days extends fc.Arbitrary<readonly (infer T)[]> ? T : never;

const settings = fc.record({
  owners: fc.dictionary(fc.constantFrom(...pairs.map(([, path]) => path)), fc.constantFrom(...fieldOwners)),
  usual: fc.constantFrom(...fieldOwners),
  first: fc.constantFrom(...fieldOwners),
  emptied: fc.constantFrom('empties' as const, 'refills' as const),
  removed: fc.constant(usualInStep.removed),
});

const says: readonly Say[] = [
  ({ given }) => given ?? null,
  ({ there }) => there ?? null,
  ({ path, given }) => (path.includes('name') ? 'Said' : (given ?? null)),
];

/** Three people: one known to both sides, two to one side only. */
function begun(chosen: InStepSetting, say: Say): TwoApps {
  const apps = new TwoApps(chosen, say);
  for (const at of [0, 1, 2]) {
    const mail = `person-${at}@clay.example`;
    if (at !== 1) apps.save('one', `a${at}`, { '/name': `Ada ${at}`, '/mail': mail });
    const theirs = { '/full_name': `A. ${at}`, '/e_mail': mail, '/telephone': '020 7946 0001' };
    if (at !== 0) apps.save('two', `b${at}`, theirs);
  }
  return apps;
}

function act(apps: TwoApps, one: Act): void {
  if (typeof one === 'string') {
    apps.look(one);
    return;
  }
  const { side, who, saved } = one;
  const ids = [...apps.apps[side].keys()];
  const path = pairs[saved.field]?.[side === 'one' ? 0 : 1] ?? '';
  const value = saved.field === 3 && side === 'one' ? saved.value === 'subscribed' : saved.value;
  apps.save(side, ids[who % ids.length] ?? '', { [path]: value });
}

/** Everybody is there on both sides once, with the same values; a consent that one side alone gave again may differ. */
function expectSame(apps: TwoApps): void {
  expect(apps.apps.two.size).toBe(apps.apps.one.size);
  for (const [id, record] of apps.apps.one) {
    const theirs = apps.apps.two.get(apps.links.one.get(id) ?? '');
    if (!theirs) throw new Error(`${id} has nobody on the other side.`);
    const { '/may_be_mailed': mine, ...one } = plain('one', record);
    const { '/may_be_mailed': other, ...two } = plain('two', theirs);
    expect(two).toEqual(one);
    // A no stays, and a mail that came back says nothing of a consent.
    if (mine !== other) expect([mine, other].some((said) => said === false || said === 'bounced')).toBe(true);
  }
}

test('whatever people do on both sides, after two rounds nothing is written any more, and both sides hold the same', () => {
  fc.assert(
    fc.property(settings, days, fc.constantFrom(...says), (chosen, day, say) => {
      const apps = begun(chosen, say);
      rounds(apps, 1);
      for (const one of day) act(apps, one);
      rounds(apps, 2);
      expect(rounds(apps, 1)).toEqual([0]);
      expectSame(apps);
    }),
    { numRuns: 400 },
  );
});
