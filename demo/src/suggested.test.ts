import { labelledPairs } from './pairs.ts';
import { scoreSuggestions, summed } from './suggested.ts';

// Labelled by hand; whole drafts are scored, as the three choices make them between the practice apps' places.
test('of what is proposed 95 of 100 are right, 90 of 100 of what a person maps is proposed, no money or id is wrong', async () => {
  const scores = await scoreSuggestions(labelledPairs);
  const { right, covered, dear } = summed(scores);
  const faults = scores.flatMap(({ name, wrong, missing }) => [...wrong, ...missing].map((one) => `${name}: ${one}`));
  expect(scores.length).toBeGreaterThanOrEqual(12);
  expect(scores.reduce((sum, one) => sum + one.wanted, 0)).toBeGreaterThan(120);
  // A failure names what is otherwise than a person would have it.
  expect({ dear, isRight: right >= 0.95, isCovered: covered >= 0.9, faults }).toEqual({
    dear: 0,
    isRight: true,
    isCovered: true,
    faults,
  });
});

test('the scoring sees a wrong and a missing proposal', async () => {
  const [pair] = labelledPairs;
  if (!pair) throw new Error('There are no pairs.');
  const { '/Phone': _phone, ...right } = pair.right;
  const [score] = await scoreSuggestions(
    [{ ...pair, right: { ...right, '/Number': '/email', '/Note': '/company' } }],
    60,
  );
  expect(score?.wrong).toEqual([
    '/Number: /id instead of /email',
    '/Phone: /address/country + /phone instead of nothing',
  ]);
  expect(score?.wrongAndDear).toEqual(['/Number: /id instead of /email']);
  expect(score?.missing).toEqual(['/Note: nothing instead of /company']);
});
