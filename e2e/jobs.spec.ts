import { messyCsv, messyNames, messyPeople, messyRows } from '../demo/src/messy-list.ts';
import { cardKeys } from '../standins/src/index.ts';
import { ask, Hand } from './acts.ts';
import { expect, type Product, test } from './product.ts';

// Whole jobs as somebody does them who hasn't seen the product before, their interactions counted; judged by
// what stands in the apps afterwards.

interface Card {
  readonly id: string;
  readonly attributes: Readonly<Record<string, string | boolean | null>>;
  readonly relationships: Readonly<Record<string, { readonly data: { readonly id: string } | null }>>;
}

const cardKey = cardKeys.find((one) => one.mayWrite)?.key ?? '';

/** All cards of a type, as the Card index itself gives them. */
async function cardsOf(product: Product, type: string): Promise<Card[]> {
  const all: Card[] = [];
  let next: string | null = `${product.cards}/api/${type}?page[size]=100`;
  while (next) {
    const answer = await fetch(new URL(next, product.cards), { headers: { authorization: `Bearer ${cardKey}` } });
    const page = (await answer.json()) as { data: Card[]; links: { next: string | null } };
    all.push(...page.data);
    next = page.links.next;
  }
  return all;
}

test('a messy list of sixty rows becomes people with their firms in the Card index, without a formula', async ({
  page,
  empty: product,
}) => {
  const hand = new Hand();
  await page.goto(product.url);
  await hand.give(page.getByLabel('A list', { exact: true }), { name: 'Kundenliste.csv', content: messyCsv() });
  await hand.click(page.getByRole('button', { name: 'Choose where to' }));
  const drawer = page.getByRole('dialog', { name: 'Where do these records go?' });
  await hand.click(drawer.getByRole('button', { name: /^Card index/ }));
  await hand.type(page.getByLabel('Access key'), cardKey);
  await hand.click(page.getByRole('button', { name: 'Connect', exact: true }));
  await hand.click(drawer.getByRole('button', { name: /^people/ }));
  await hand.click(page.getByRole('button', { name: 'Make the draft' }));

  // The firms aren't there yet: the lookup makes them.
  await expect(page.getByLabel('Mapping sheet').getByText('Dieter', { exact: true }).first()).toBeVisible();
  const brief = page.getByRole('region', { name: 'Brief' });
  await hand.click(brief.getByRole('button', { name: /Find the company/ }));
  await hand.select(page.getByLabel('If there is none'), 'create');
  await hand.click(brief.getByRole('button', { name: /Create or update the person/ }));
  await hand.click(page.getByRole('button', { name: /^Accept \d+ suggested/ }));

  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  await hand.click(page.getByRole('button', { name: 'all', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText('All 60 accounted for');
  await hand.click(page.getByRole('button', { name: 'Make it live…' }));
  await hand.click(page.getByRole('dialog').getByRole('button', { name: /^Make it live/ }));
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await expect.poll(async () => (await cardsOf(product, 'people')).length).toBe(messyPeople);
  expect(hand.count).toBeLessThanOrEqual(60);

  // Every person once, by their true name, with their number in one form, their firm and their latest no.
  await expect
    .poll(async () => {
      const rows = await ask<{ id: string }[]>(product, 'GET', '/api/workflows');
      const [run] = await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${rows[0]?.id}/runs`);
      return run?.state;
    })
    .toBe('done');
  const people = await cardsOf(product, 'people');
  const firms = new Map((await cardsOf(product, 'companies')).map(({ id, attributes }) => [id, attributes['name']]));
  const rows = messyRows();
  expect([...firms.values()].sort()).toEqual([...new Set(rows.map(({ Firma }) => Firma).filter(Boolean))].sort());
  for (const [number, { first, last }] of messyNames) {
    const row = rows.find((one) => one['Kd-Nr.'] === number);
    const again = rows.filter((one) => one.Ansprechpartner === row?.Ansprechpartner);
    const own = people.filter(
      ({ attributes }) => (attributes['firstName'] ?? '') === first && attributes['lastName'] === last,
    );
    expect([number, first, last, own.length]).toEqual([number, first, last, 1]);
    const { attributes, relationships } = own[0] as Card;
    expect(attributes['email'] ?? '').toBe(row?.['E-Mail'].toLowerCase());
    expect(attributes['street']).toBe(row?.Straße);
    expect(attributes['postcode']).toBe(row?.PLZ);
    if (row?.Telefon) expect(attributes['phone']).toMatch(/^\+49 ?30 ?23125 ?\d{3}$/);
    expect(attributes['mayBeMailed']).toBe(again.every(({ Newsletter }) => Newsletter === 'ja'));
    expect(firms.get(relationships['company']?.data?.id ?? '') ?? '').toBe(row?.Firma);
  }
});
