import type { Page, PageBlock } from '@golden/core';

/** A block with a name that stays while it is moved, so that what is being typed keeps its place. */
export interface KeyedBlock {
  readonly key: number;
  readonly block: PageBlock;
}

/** A page under the hand. */
export interface PageInHand {
  readonly name: string;
  readonly size: Page['size'];
  readonly footer: string;
  readonly blocks: readonly KeyedBlock[];
}

/** A page as it is taken into the hand. */
export const inHand = (name: string, { size, footer = '', blocks }: Page): PageInHand => ({
  name,
  size,
  footer,
  blocks: blocks.map((block, key) => ({ key, block })),
});

/** The page as it is kept: what was left empty isn't there. */
export const pageOf = ({ size, footer, blocks }: PageInHand): Page => ({
  size,
  blocks: blocks.map(({ block }) => withoutEmpty(block)),
  ...(footer.trim() !== '' && { footer }),
});

function withoutEmpty(block: PageBlock): PageBlock {
  const { onlyIf, ...rest } = block;
  return { ...rest, ...(onlyIf?.trim() && { onlyIf: onlyIf.trim() }) } as PageBlock;
}

/** What a new block of a kind begins with. */
export function newBlock(kind: PageBlock['kind'], lists: readonly string[]): PageBlock {
  if (kind === 'picture') return { kind, file: '' };
  if (kind !== 'lines') return { kind, text: '' };
  return { kind, of: lists[0] ?? 'lines', columns: [{ label: '', text: '' }] };
}

/** The blocks with a new one at the end. */
export const withBlock = (blocks: readonly KeyedBlock[], block: PageBlock): KeyedBlock[] => [
  ...blocks,
  { key: Math.max(-1, ...blocks.map(({ key }) => key)) + 1, block },
];

/** The blocks with one of them so many places further down; above the first and below the last there is none. */
export function moved(blocks: readonly KeyedBlock[], key: number, by: number): KeyedBlock[] {
  const at = blocks.findIndex((one) => one.key === key);
  const to = Math.min(blocks.length - 1, Math.max(0, at + by));
  const one = blocks[at];
  return one ? blocks.toSpliced(at, 1).toSpliced(to, 0, one) : [...blocks];
}

/** A text with a value's name put in where the cursor stands, and where the cursor stands then. */
export function withValue(text: string, at: number, name: string): { readonly text: string; readonly at: number } {
  const value = `{${name}}`;
  return { text: text.slice(0, at) + value + text.slice(at), at: at + value.length };
}
