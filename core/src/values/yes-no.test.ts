import { readCountry } from './countries.ts';
import { isYesNoWord, readYesNo } from './yes-no.ts';

test.each([
  ['Ja', true],
  [' NEIN ', false],
  ['oui', true],
  ['não', false],
  ['1', true],
  ['n', false],
  ['vielleicht', undefined],
  ['', undefined],
])('“%s” says %s', (text, said) => {
  expect(readYesNo(text)).toBe(said);
});

test('a figure or a letter is no word for yes or no', () => {
  expect(['1', '0', 'y', 'n', 'j'].filter(isYesNoWord)).toEqual([]);
});

// Distinguishing signs of vehicles in international traffic, from memory.
test.each([
  ['D', 'DE'],
  ['A', 'AT'],
  ['CH', 'CH'],
  ['b', 'BE'],
])('a list’s “%s” is the country %s', (sign, code) => {
  expect(readCountry(sign)).toBe(code);
});
