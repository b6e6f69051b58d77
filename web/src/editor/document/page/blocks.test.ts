import { type Page, readPage } from '@golden/core';
import fc from 'fast-check';
import { inHand, moved, newBlock, pageOf, withBlock, withValue } from './blocks.ts';
import { namesOf } from './names.ts';

const page: Page = {
  size: 'Letter',
  blocks: [
    { kind: 'heading', text: 'Note {number}' },
    { kind: 'text', text: 'Please note: {remark}', onlyIf: 'remark' },
    { kind: 'picture', file: 'mark.png', width: 40 },
    { kind: 'lines', of: 'lines', columns: [{ label: 'Net', text: '{net}', isAmount: true, hasTotal: true }] },
  ],
  footer: 'Page {page}',
};

test('a page that is taken into the hand and put back is the same', () => {
  expect(pageOf(inHand('Note', page))).toEqual(page);
  expect(pageOf({ ...inHand('Note', page), footer: ' ' })).not.toHaveProperty('footer');
  expect(readPage(pageOf(inHand('Note', page)))).toEqual(page);
});

test('blocks keep their names however they are moved and added; none is lost', () => {
  const moves = fc.array(fc.tuple(fc.nat(5), fc.integer({ min: -3, max: 3 })), { maxLength: 20 });
  fc.assert(
    fc.property(moves, (all) => {
      let { blocks } = inHand('Note', page);
      for (const [key, by] of all) blocks = by === 3 ? withBlock(blocks, newBlock('text', [])) : moved(blocks, key, by);
      const keys = blocks.map(({ key }) => key);
      expect(new Set(keys).size).toBe(keys.length);
      expect(blocks).toHaveLength(4 + all.filter(([, by]) => by === 3).length);
      for (const { key, block } of inHand('Note', page).blocks)
        expect(blocks.find((one) => one.key === key)?.block).toEqual(block);
    }),
  );
  const { blocks } = inHand('Note', page);
  expect(moved(blocks, 0, -1)).toEqual(blocks);
  expect(moved(blocks, 3, -1).map(({ key }) => key)).toEqual([0, 1, 3, 2]);
});

test('a value is put in where the cursor stands', () =>
  expect(withValue('Note  for', 5, 'number')).toEqual({ text: 'Note {number} for', at: 13 }));

test('what can stand in braces: the source’s values and those that the page names; within a line its own first', () => {
  const source = [
    { path: '/number', label: 'number', type: 'text' as const },
    {
      path: '/lines',
      label: 'lines',
      type: 'list' as const,
      fields: [{ path: '/item', label: 'item', type: 'text' as const }],
    },
  ];
  const names = namesOf(page, source);
  expect(names.values).toEqual(['number', 'remark']);
  expect(names.lists).toEqual(['lines']);
  expect(names.inLine('lines')).toEqual(['item', 'net', 'number', 'remark']);
  // While something is half typed, the source’s names can be put in still.
  expect(namesOf({ ...page, footer: 'Page {pa' }, source).values).toEqual(['number']);
});
