import { contentWith, list, shop, writeToList } from '../testing/workflows.ts';
import { type Blank, blankText, inPlacesOf, placesToChoose, withBlanks, withPlaces } from './blanks.ts';

const named = { kind: 'fixed' as const, value: 'New people' };
const content = contentWith([writeToList({ mapping: { '/Name': named } })]);
const blank: Blank = { id: 'group', label: 'Which group?', at: ['/steps/0/mapping/~1Name/value'] };

test('a blank holds its maker’s word until a business says its own, wherever it stands', () => {
  expect(blankText(content, blank)).toBe('New people');
  const filled = withBlanks(content, [blank], { group: 'Everybody' });
  expect(filled.steps[0]).toMatchObject({ mapping: { '/Name': { kind: 'fixed', value: 'Everybody' } } });
  expect(withBlanks(content, [blank], {})).toEqual(content);
  // A pointer to nothing, or to what is no text, changes nothing.
  const lost: Blank = { ...blank, at: ['/steps/9/mapping/~1Name/value', '/start'] };
  expect(withBlanks(content, [lost], { group: 'x' })).toEqual(content);
  expect(blankText(content, lost)).toBe('');
});

test('what doesn’t fit where it stands is refused', () => {
  const timed = contentWith([writeToList()], { trigger: { kind: 'times', at: ['06:00'], days: [1] } });
  const time: Blank = { id: 'time', label: 'When?', at: ['/start/trigger/at/0'] };
  expect(withBlanks(timed, [time], { time: '07:30' }).start.trigger).toMatchObject({ at: ['07:30'] });
  expect(() => withBlanks(timed, [time], { time: 'soon' })).toThrow();
});

test('places are those of apps, and another one stands where it was chosen', () => {
  const places = placesToChoose(content, (connection) => connection === list.connection);
  expect(places.map(({ sentence }) => sentence)).toEqual(['list']);
  const elsewhere = { ...list, path: ['Other.xlsx', 'People'], labels: ['Other.xlsx', 'People'] };
  const moved = withPlaces(content, { list: elsewhere });
  expect(moved.steps[0]).toMatchObject({ target: elsewhere });
  expect(moved.start.source).toEqual(shop);
});

test('a newer edition is compared in the places of its copy', () => {
  const copy = withPlaces(content, { list: { ...list, path: ['Mine.xlsx', 'People'] } });
  expect(inPlacesOf(content, copy)).toEqual(copy);
  const more = { ...content, steps: [...content.steps, writeToList({ id: 'second' })] };
  expect(inPlacesOf(more, copy).steps.map((step) => ('target' in step ? step.target?.path[0] : ''))).toEqual([
    'Mine.xlsx',
    list.path[0],
  ]);
});
