import type { Page } from '@playwright/test';
import { ask } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// Two apps whose people work in both at the same time, kept in step; judged by what the apps themselves hold.

interface Card {
  readonly id: string;
  readonly attributes: Readonly<Record<string, unknown>>;
}

interface Subscriber {
  readonly id: number;
  readonly email: string;
  readonly name: string | null;
  readonly status: string;
}

/** One request that somebody's own program makes to a practice app. */
async function asOther<T>(app: string, key: string, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(`${app}/api${path}`, {
    method,
    headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${await answer.text()}`);
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

const cards = <T>(product: Product, method: string, path: string, attributes?: object, id?: string): Promise<T> =>
  asOther(
    product.cards,
    'cards-practice-6H2W-readwrite',
    method,
    path,
    attributes && { data: { type: 'people', ...(id !== undefined && { id }), attributes } },
  );

async function people(product: Product): Promise<Card[]> {
  const all: Card[] = [];
  for (let path: string | null = '/people'; path !== null; ) {
    const page: { data: Card[]; links?: { next?: string | null } } = await cards(product, 'GET', path);
    all.push(...page.data);
    const next: string | null = page.links?.next ?? null;
    path = next === null ? null : next.slice(next.indexOf('/people'));
  }
  return all;
}

const list = <T>(product: Product, method: string, path: string, body?: unknown): Promise<T> =>
  asOther(product.newsletter, 'letters-practice-4D7N-readwrite', method, `/lists/potters/subscribers${path}`, body);

const subscribers = async (product: Product): Promise<Subscriber[]> =>
  (await list<{ subscribers: Subscriber[] }>(product, 'GET', '?limit=100')).subscribers;

const subscriber = async (product: Product, email: string): Promise<Subscriber> => {
  const found = (await subscribers(product)).filter((one) => one.email.toLowerCase() === email.toLowerCase());
  expect(found.map((one) => one.email)).toHaveLength(1);
  return found[0] as Subscriber;
};

const person = async (product: Product, email: string): Promise<Card> => {
  const found = (await people(product)).filter(({ attributes }) => attributes['email'] === email);
  expect(found.map(({ attributes }) => attributes['email'])).toHaveLength(1);
  return found[0] as Card;
};

/** Chooses both places and both ways on screen, rehearses, and makes both live; gives the pair. */
async function keepInStep(page: Page, product: Product): Promise<string> {
  await page.goto(`${product.url}/workflows/new`);
  const from = page.getByRole('region', { name: 'From', exact: true });
  const to = page.getByRole('region', { name: 'To', exact: true });
  await from.getByRole('button', { name: /Card index/ }).click();
  await from.getByRole('button', { name: /^people/i }).click();
  await to.getByRole('button', { name: /Newsletter list/ }).click();
  await to.getByRole('button', { name: 'Potters' }).click();
  await expect(to.getByText('6 subscribers')).toBeVisible();
  await page.getByRole('radio', { name: /In step, both ways/ }).check();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await expect(page.getByRole('heading', { name: 'In step, both ways' })).toBeVisible();
  const fields = page.getByRole('region', { name: 'Fields' });
  await expect(fields.getByRole('row', { name: /may be mailed.*status.*nothing turns it into a yes/ })).toBeVisible();

  // Who is removed from the cards is taken off the list.
  await page.getByLabel('A record is removed in Card index').selectOption({ label: 'mark it in Newsletter list' });
  await page.getByLabel('Field in Newsletter list').selectOption({ label: 'status' });
  await page.getByLabel('Value in Newsletter list').selectOption({ label: 'unsubscribed' });
  await page.getByRole('button', { name: 'Rehearse both' }).click();
  const live = page.getByRole('button', { name: 'Make both live…' });
  await expect(live).toBeEnabled();
  const directions = page.getByRole('region', { name: 'Directions' });
  await expect(directions.getByRole('link', { name: /\d+ new/ })).toHaveCount(2);
  expect(await faultsOf(page, 'In step', 'everything')).toEqual([]);
  await live.click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: /^Accept/ }).click();
  await dialog.getByRole('button', { name: 'Make both live' }).click();
  await expect(page.getByText('Both directions are live.')).toBeVisible();
  const id = new URL(page.url()).searchParams.get('id') ?? '';
  await quiet(product, id);
  return id;
}

/** Waits until nothing of a pair is under way. */
async function quiet(product: Product, id: string): Promise<void> {
  const { legs } = await ask<{ legs: { workflow: string }[] }>(product, 'GET', `/api/in-step/${id}`);
  for (const { workflow } of legs)
    await expect
      .poll(async () => {
        const runs = await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${workflow}/runs`);
        return runs.every(({ state }) => state === 'done');
      })
      .toBe(true);
}

async function lookAtBoth(page: Page, product: Product, id: string): Promise<void> {
  const { runs } = await ask<{ runs: string[] }>(product, 'POST', `/api/in-step/${id}/check`);
  for (const run of runs)
    await expect
      .poll(
        async () =>
          (await ask<{ state: string } | null>(product, 'GET', `/api/runs/${run}`).catch(() => null))?.state ?? 'done',
      )
      .toBe('done');
  await page.goto(`${product.url}/in-step?id=${id}`);
}

const writesOf = async (product: Product): Promise<number[]> => [
  await product.writes('cards'),
  await product.writes('newsletter'),
];

test('a members’ list both ways: new people go there, who unsubscribes and cleaned addresses come back', async ({
  page,
  ownDemo: product,
}) => {
  const before = await people(product);
  const known = await subscribers(product);
  const id = await keepInStep(page, product);

  // The first time: everybody with a mail address is on both sides, once.
  const addresses = (all: readonly unknown[]) =>
    all.map((one) => String(one ?? '').toLowerCase()).filter((one) => one.includes('@'));
  const onList = addresses((await subscribers(product)).map(({ email }) => email));
  const onCards = addresses((await people(product)).map(({ attributes }) => attributes['email']));
  expect(new Set(onList).size).toBe(onList.length);
  for (const address of addresses(before.map(({ attributes }) => attributes['email'])))
    expect(onList).toContain(address);
  for (const { email, status } of known) if (status === 'subscribed') expect(onCards).toContain(email);
  // Nobody who had said no gets news by it.
  const said = new Map(
    (await people(product)).map(({ attributes }) => [String(attributes['email']).toLowerCase(), attributes]),
  );
  for (const one of await subscribers(product))
    if (said.get(one.email.toLowerCase())?.['mayBeMailed'] === false) expect(one.status).not.toBe('subscribed');

  // A day in both offices.
  await cards(product, 'POST', '/people', {
    firstName: 'Nuria',
    lastName: 'Solé',
    email: 'nuria@barro.example',
    mayBeMailed: true,
  });
  const tamsin = await subscriber(product, 'tamsin@wheelwright.example');
  await list(product, 'PATCH', `/${tamsin.id}`, { email: 'tamsin@wheels.example' });
  const rosa = await subscriber(product, 'rosa@barro.example');
  await list(product, 'PATCH', `/${rosa.id}`, { status: 'unsubscribed' });
  const hanako = await subscriber(product, 'hanako@yaki.example');
  await list(product, 'PATCH', `/${hanako.id}`, { name: 'Hanako Yamada' });
  const her = await person(product, 'hanako@yaki.example');
  await cards(product, 'PATCH', `/people/${her.id}`, { lastName: 'Yamada-Reed' }, her.id);
  await lookAtBoth(page, product, id);

  expect(await subscriber(product, 'nuria@barro.example')).toMatchObject({ status: 'subscribed' });
  expect((await person(product, 'tamsin@wheels.example')).attributes['lastName']).toBe('Wheelwright');
  expect((await person(product, 'rosa@barro.example')).attributes['mayBeMailed']).toBe(false);

  // Both changed one name: somebody is asked, once, with both values; the answer holds on both sides.
  await page.goto(`${product.url}/needs-you`);
  const asked = page.getByRole('button', { name: /Yamada/ });
  await expect(asked).toHaveCount(1);
  await asked.click();
  await expect(page.getByText('It was changed there and in the source').first()).toBeVisible();
  await page.getByRole('radio', { name: 'Hanako Yamada' }).check();
  await page.getByRole('button', { name: 'Use what I chose' }).click();
  await expect
    .poll(async () => (await person(product, 'hanako@yaki.example')).attributes)
    .toMatchObject({ firstName: 'Hanako', lastName: 'Yamada' });
  expect((await subscriber(product, 'hanako@yaki.example')).name).toBe('Hanako Yamada');

  // Somebody is removed from the cards: they get no news any more, and no card is made for them again.
  await cards(product, 'DELETE', `/people/${(await person(product, 'nuria@barro.example')).id}`);
  await lookAtBoth(page, product, id);
  expect((await subscriber(product, 'nuria@barro.example')).status).toBe('unsubscribed');
  const nuria = await subscriber(product, 'nuria@barro.example');
  await list(product, 'PATCH', `/${nuria.id}`, { name: 'Nuria Solé Pons' });
  await lookAtBoth(page, product, id);
  expect((await people(product)).filter(({ attributes }) => attributes['email'] === 'nuria@barro.example')).toEqual([]);

  // It has come to rest: looked at again, nothing is written anywhere.
  const written = await writesOf(product);
  await lookAtBoth(page, product, id);
  expect(await writesOf(product)).toEqual(written);

  // From now on who is taken off the list loses the card too, once somebody has said so.
  await page
    .getByLabel('A record is removed in Newsletter list')
    .selectOption({ label: 'ask me, then remove it for good in Card index' });
  // What goes over isn’t changed by it, so what was rehearsed holds; only what carries these removals isn’t live yet.
  await expect(page.getByRole('region', { name: 'Directions' })).toContainText('What is removed in Newsletter list');
  await page.getByRole('button', { name: 'Make both live…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Make both live' }).click();
  await expect(page.getByText('Both directions are live.')).toBeVisible();
  await quiet(product, id);
  const [wheels, yamada] = [
    await subscriber(product, 'tamsin@wheels.example'),
    await subscriber(product, 'hanako@yaki.example'),
  ];
  const card = await person(product, 'tamsin@wheels.example');
  await list(product, 'DELETE', `/${wheels.id}`);
  await list(product, 'DELETE', `/${yamada.id}`);
  await cards(product, 'PATCH', `/people/${card.id}`, { phone: '+44 20 7946 0018' }, card.id);
  await lookAtBoth(page, product, id);
  const cardsOf = async (): Promise<unknown[]> =>
    (await people(product))
      .map(({ attributes }) => attributes['email'])
      .filter((email) => email === 'tamsin@wheels.example' || email === 'hanako@yaki.example');
  expect(await cardsOf()).toHaveLength(2);
  await page.goto(`${product.url}/needs-you`);
  await page.getByRole('button', { name: /tamsin@wheels/ }).click();
  await expect(page.getByText('in Card index → people')).toBeVisible();
  await page.getByRole('button', { name: 'Remove it for good' }).click();
  await expect.poll(cardsOf).toEqual(['hanako@yaki.example']);
  await page.getByRole('button', { name: /hanako@yaki/ }).click();
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByRole('button', { name: /hanako@yaki/ })).toHaveCount(0);

  // Taken back, the card is there again with what it held, and stays.
  const { legs } = await ask<{ legs: { workflow: string; carries: string }[] }>(product, 'GET', `/api/in-step/${id}`);
  const removal = legs.find(({ carries }) => carries === 'removed_there')?.workflow ?? '';
  const [run] = await ask<{ id: string }[]>(product, 'GET', `/api/workflows/${removal}/runs`);
  await page.goto(`${product.url}/workflows/${removal}/runs/${run?.id}`);
  await page.getByRole('button', { name: 'Undo this run…' }).click();
  await expect(page.getByText('1 record is made again in Card index → people')).toBeVisible();
  await page.getByRole('button', { name: 'Undo 1 record…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: /^Undo/ }).click();
  await expect.poll(async () => (await cardsOf()).length).toBe(2);
  expect((await person(product, 'tamsin@wheels.example')).attributes).toMatchObject({
    lastName: 'Wheelwright',
    phone: expect.stringContaining('7946'),
  });
  await lookAtBoth(page, product, id);
  expect(await cardsOf()).toHaveLength(2);
  expect((await subscribers(product)).filter(({ email }) => email === 'tamsin@wheels.example')).toEqual([]);
});
