import { isSingleKey, keyName } from './shortcuts.ts';

test.each([
  ['n', true],
  ['shift+n', true],
  ['?', true],
  ['/', true],
  ['1', true],
  ['delete', false],
  ['arrowdown', false],
  ['ctrl+z', false],
  ['alt+arrowdown', false],
])('%s is a key alone: %s', (name, isSingle) => {
  expect(isSingleKey(name)).toBe(isSingle);
});

test.each([
  [{ key: 'N', shiftKey: true }, 'shift+n'],
  [{ key: '?', shiftKey: true }, '?'],
  [{ key: 'k', metaKey: true }, 'ctrl+k'],
  [{ key: 'ArrowDown', altKey: true }, 'alt+arrowdown'],
])('a key is looked up by its name', (event, name) => {
  expect(keyName(event as KeyboardEvent)).toBe(name);
});
