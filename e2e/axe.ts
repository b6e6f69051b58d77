import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';

// WCAG 2.2 AA as axe-core judges it.

const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];
const contrast = 'color-contrast';

/** What of a view is judged: everything; what colours decide (in another theme all else is the same); or all but that. */
type Judged = 'everything' | 'colours' | 'all_but_colours';

/** A long list has the same colours in each of its rows, and judging them takes most of the time: the first rows tell. */
const laterRows = 'tbody tr:nth-child(n+9)';

/** What is wrong with a view by those rules. Only what breaks one is gathered, and the pages have no frames. */
export async function faultsOf(page: Page, view: string, judged: Judged): Promise<string[]> {
  const axe = (options: object) =>
    new AxeBuilder({ page }).setLegacyMode(true).options({ resultTypes: ['violations'], ...options });
  const all = axe({ runOnly: { type: 'tag', values: tags }, rules: { [contrast]: { enabled: false } } });
  const colours = axe({ runOnly: { type: 'rule', values: [contrast] } }).exclude(laterRows);
  const violations = [
    ...(judged === 'colours' ? [] : (await all.analyze()).violations),
    ...(judged === 'all_but_colours' ? [] : (await colours.analyze()).violations),
  ];
  return violations.map(
    (one) =>
      `${view}: ${one.id}: ${one.nodes
        .map((node) => `${node.target.join(' ')} ${node.any[0]?.message ?? ''}`)
        .slice(0, 3)
        .join(' | ')}`,
  );
}
