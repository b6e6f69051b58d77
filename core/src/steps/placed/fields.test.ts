import type { AtNone } from '../../matching/lookup/ladder.ts';
import { advance, beginItem } from '../../run/advance.ts';
import { contentWith, fromField, priya, versionWith, writeToList } from '../../testing/workflows.ts';
import { checkReadiness } from '../../workflow/readiness.ts';
import type { Step } from '../schemas.ts';

/** A write that fills the phone alone, though the list’s rows need a name. */
const phoneOnly = (atNone: AtNone): Step =>
  writeToList({
    key: undefined,
    ladder: { rungs: [{ id: 'number', kind: 'exact', fields: ['/Number'] }], atNone, atUnclear: 'ask' },
    mapping: { '/Number': fromField('/id'), '/Phone': fromField('/phone') },
  });

test.each<[AtNone, number]>([
  ['create', 1],
  ['ask', 1],
  ['empty', 0],
  ['leave_out', 0],
])('where none is found and it says “%s”, so many required fields have to be filled: %i', (atNone, open) => {
  const blocking = checkReadiness(contentWith([phoneOnly(atNone)])).filter(({ severity }) => severity === 'blocks');
  expect(blocking.map(({ field }) => field)).toEqual(Array.from({ length: open }, () => '/Name'));
  const begun = advance(versionWith([phoneOnly(atNone)]), beginItem(priya, '2026-11-24T09:00:00.000Z'), {
    kind: 'begin',
  });
  expect(begun.effect?.kind ?? begun.outcome?.kind).toBe(open === 0 ? 'match' : 'unsettled');
});
