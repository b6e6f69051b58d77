import fc from 'fast-check';

// Values that nobody would send by intent, and documents changed in one place or a few.

/** Words with a meaning somewhere: in JavaScript, in addresses, in formulas, in JSON Pointers, in file names. */
const oddWords = [
  '',
  ' ',
  '/',
  '//',
  '~',
  '/a~2b',
  'constructor',
  '__proto__',
  'prototype',
  'toString',
  'null',
  'true',
  'NaN',
  '1e999',
  '-0',
  '9007199254740993',
  '=1+1',
  "'=x",
  '@SUM(A1)',
  '../../etc/passwd',
  '%2e%2e%2f',
  'javascript:alert(1)',
  '@127.0.0.1:1/x',
  'http://[::1',
  '<script>alert(1)</script>',
  '\u0000',
  '\u202e',
  '\ud800',
  '🎻'.repeat(40),
  'x'.repeat(5000),
  '9'.repeat(8000),
  '2026-02-30',
  '0000-00-00T99:99:99Z',
  'start',
  'list',
  'line',
  '*',
  '/*',
  '{id}',
  '{{x}}',
  '"',
  '\\',
] as const;

export const oddText: fc.Arbitrary<string> = fc.oneof(
  { weight: 3, arbitrary: fc.constantFrom(...oddWords) },
  { weight: 1, arbitrary: fc.string({ unit: 'binary', maxLength: 30 }) },
);

const deep = (levels: number): unknown => (levels === 0 ? 1 : [deep(levels - 1)]);

/** Any JSON value, mostly a wrong one. */
export const oddValue: fc.Arbitrary<unknown> = fc.oneof(
  oddText,
  fc.constantFrom(null, true, false, 0, -1, 1.5, 1e308, -1e308, 2 ** 53, 1e21, [], {}, [[]], [{}], deep(150)),
  fc.jsonValue({ maxDepth: 3 }),
  fc.constantFrom({ constructor: 1 }, JSON.parse('{"__proto__":{"isAdmin":true}}'), { '': { '': '' } }),
);

const ways = ['remove', 'replace', 'repeat', 'rename', 'copy', 'swap'] as const;

/** One change of a document, at a place told by a number. */
export interface Mutation {
  readonly at: number;
  readonly other: number;
  readonly way: (typeof ways)[number];
  readonly value: unknown;
}

export const mutations = (most: number): fc.Arbitrary<readonly Mutation[]> =>
  fc.array(
    fc.record({
      at: fc.nat(100_000),
      other: fc.nat(100_000),
      way: fc.constantFrom(...ways),
      value: oddValue,
    }),
    { minLength: 1, maxLength: most },
  );

type Holder = Record<string, unknown> | unknown[];
type Spot = readonly [Holder, string];

/** Every place within a document: what holds it, and under which name. */
function spotsOf(value: unknown, spots: Spot[] = []): Spot[] {
  if (typeof value !== 'object' || value === null) return spots;
  for (const name of Object.keys(value)) {
    spots.push([value as Holder, name]);
    spotsOf((value as Record<string, unknown>)[name], spots);
  }
  return spots;
}

/** A copy of a document with these changes. */
export function mutate<T>(document: T, changes: readonly Mutation[]): T {
  const whole = { whole: structuredClone(document) as unknown };
  for (const change of changes) {
    // The whole itself stays, whatever it is by then.
    const spots = spotsOf(whole.whole);
    if (spots.length === 0) continue;
    const [holder, name] = spots[change.at % spots.length] as Spot;
    apply(holder as Record<string, unknown>, name, change, spots[change.other % spots.length] as Spot);
  }
  return whole.whole as T;
}

function apply(holder: Record<string, unknown>, name: string, change: Mutation, [from, of]: Spot): void {
  const other = (from as Record<string, unknown>)[of];
  switch (change.way) {
    case 'remove':
      if (Array.isArray(holder)) holder.splice(Number(name), 1);
      else delete holder[name];
      return;
    case 'replace':
      holder[name] = typeof holder[name] === 'string' ? String(change.value) : structuredClone(change.value);
      return;
    case 'repeat':
      if (Array.isArray(holder)) holder.push(structuredClone(holder[Number(name)]));
      else holder[name] = [holder[name], structuredClone(holder[name])];
      return;
    case 'rename':
      if (!Array.isArray(holder)) {
        const value = holder[name];
        delete holder[name];
        Object.defineProperty(holder, String(change.value).slice(0, 100), {
          value,
          enumerable: true,
          configurable: true,
          writable: true,
        });
      }
      return;
    // Of one kind with what was there: such a document is more often one that is taken.
    case 'copy':
      if (typeof other === typeof holder[name] && Array.isArray(other) === Array.isArray(holder[name]))
        holder[name] = structuredClone(other);
      return;
    case 'swap': {
      const mine = structuredClone(holder[name]);
      holder[name] = structuredClone(other);
      (from as Record<string, unknown>)[of] = mine;
    }
  }
}
