import type { MatchedBy } from '@golden/core';
import { percentText } from '../../parts/formats.ts';

/** How a record was recognised, in words. */
export function matchedText({ how, probability }: MatchedBy): string {
  const said = {
    link: 'remembered from before',
    rung: 'recognised',
    chosen: 'chosen by a person',
    id: 'by its id',
    rule: 'by a rule',
  };
  return how === 'rung' && probability !== undefined ? `matched, ${percentText(probability)} sure` : said[how];
}
