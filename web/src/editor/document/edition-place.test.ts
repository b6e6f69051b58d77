import { editionPlace, readEditionPlace } from './edition-place.ts';

test.each([
  ['7f3c@2', { template: '7f3c', number: 2, form: '' }],
  ['7f3c@12.csv', { template: '7f3c', number: 12, form: '.csv' }],
  ['7f3c@1.pdf', { template: '7f3c', number: 1, form: '.pdf' }],
])('the place %s stands for an edition in its form, and back', (place, edition) => {
  expect(readEditionPlace(place)).toEqual(edition);
  expect(editionPlace(edition)).toBe(place);
});

test.each(['format:invoice', '', undefined])('%j stands for no edition', (place) =>
  expect(readEditionPlace(place)).toBeUndefined(),
);
