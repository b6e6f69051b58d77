import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';

// WCAG 2.2 AA as axe-core judges it.

const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

/** Every rule in the light theme; in the dark one what colours decide, for all else is the same there. */
export async function faultsOf(page: Page, view: string, theme: 'light' | 'dark'): Promise<string[]> {
  const axe = new AxeBuilder({ page });
  const { violations } = await (theme === 'light' ? axe.withTags(tags) : axe.withRules(['color-contrast'])).analyze();
  return violations.map(
    (one) =>
      `${view}: ${one.id}: ${one.nodes
        .map((node) => `${node.target.join(' ')} ${node.any[0]?.message ?? ''}`)
        .slice(0, 3)
        .join(' | ')}`,
  );
}
