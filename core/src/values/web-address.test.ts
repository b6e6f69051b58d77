import fc from 'fast-check';
import { contrastOf, luminanceOf } from './colour.ts';
import { isWebAddress, linkParts } from './web-address.ts';

test('the id of a place is looked for in the last part of a link first, then in its query, then behind the #', () => {
  expect(linkParts(' https://desk.example/teams/7/boards/42-kilns?view=list#card=9 ')).toEqual([
    '42-kilns',
    'boards',
    '7',
    'teams',
    'list',
    'card=9',
  ]);
  expect(linkParts('https://desk.example/a%20b/%E4')).toEqual(['%E4', 'a b']);
  expect([linkParts('42'), linkParts('javascript:alert(1)'), linkParts('')]).toEqual([[], [], []]);
});

test('law: whatever is pasted, parts are only given of what is a web address, and never empty ones', () => {
  fc.assert(
    fc.property(fc.oneof(fc.string(), fc.webUrl({ withQueryParameters: true, withFragments: true })), (text) => {
      const parts = linkParts(text);
      expect(parts.every((part) => part !== '')).toBe(true);
      if (!isWebAddress(text.trim())) expect(parts).toEqual([]);
    }),
  );
});

// WCAG 2.2, definitions of “relative luminance” and “contrast ratio”: black on white is 21, a colour on itself 1. The grey
// #767676 as the lightest with 4.5 on white: from memory, as often given beside success criterion 1.4.3.
test('contrast is that of WCAG 2.2', () => {
  expect(contrastOf('#000000', '#ffffff')).toBeCloseTo(21, 10);
  expect(contrastOf('#0f5b50', '#0F5B50')).toBe(1);
  expect(contrastOf('#767676', '#ffffff')).toBeGreaterThanOrEqual(4.5);
  expect(contrastOf('#777777', '#ffffff')).toBeLessThan(4.5);
  expect([luminanceOf('#ffffff'), luminanceOf('#000000'), luminanceOf('red'), luminanceOf('#fff')]).toEqual([
    1,
    0,
    undefined,
    undefined,
  ]);
});
