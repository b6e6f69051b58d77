import type { Page } from '@playwright/test';
import { postMailboxes } from '../standins/src/index.ts';
import {
  addCustomer,
  ask,
  choose,
  connectDrawer,
  fillField,
  goLive,
  putAway,
  quieten,
  send,
  takeItBack,
  workflowCalled,
} from './acts.ts';
import { expect, type Product, test } from './product.ts';

// Mails in and out as somebody sets them up who hasn't seen the product before; judged by what lies in the mailboxes of
// those who wrote, as the Post room shows it.

const us = 'hello@saltmarsh.example';
const abbey = 'abbey@bechtelar.example';
const password = postMailboxes[0]?.password ?? '';

/** A page of the Post room. */
async function atPost(page: Page, product: Product, path: string, work: (post: Page) => Promise<void>): Promise<void> {
  const post = await page.context().newPage();
  await post.goto(`${product.post}${path}`);
  await work(post);
  await post.close();
}

/** Somebody gets a mailbox, by the form on the first screen. */
const addMailbox = (page: Page, product: Product, address: string, whose: string): Promise<void> =>
  atPost(page, product, '/', async (post) => {
    await post.getByLabel('Another mailbox: address').fill(address);
    await post.getByLabel('whose').fill(whose);
    await send(post.getByRole('button', { name: 'Add mailbox' }));
  });

/** Somebody writes to us, by the sheet of their mailbox. */
const write = (page: Page, product: Product, from: string, subject: string, text: string): Promise<void> =>
  atPost(page, product, `/mailboxes/${encodeURIComponent(from)}/write`, async (post) => {
    await post.getByLabel('To').fill(us);
    await post.getByLabel('Subject').fill(subject);
    await post.getByLabel('Text').fill(text);
    await send(post.getByRole('button', { name: 'Send mail' }));
  });

/** The subjects in a folder, the newest first, as its screen shows them. */
async function subjects(product: Product, address: string, folder = 'INBOX'): Promise<string[]> {
  const html = await (await fetch(`${product.post}/mailboxes/${encodeURIComponent(address)}/${folder}`)).text();
  return [...html.matchAll(/\/\d+">(?:<strong>)?([^<]+)/g)].map((found) => found[1] ?? '');
}

/** A mail as it came, by its place in a folder. */
async function mailOf(product: Product, address: string, uid: number): Promise<string> {
  const html = await (await fetch(`${product.post}/mailboxes/${encodeURIComponent(address)}/INBOX/${uid}`)).text();
  return html.replaceAll('&lt;', '<').replaceAll('&gt;', '>').replaceAll('&quot;', '"');
}

test('from an empty start: mails are answered at once in their thread, tried on oneself first; an automatic one never', async ({
  page,
  empty: product,
}) => {
  await addMailbox(page, product, abbey, 'Abbey Bechtelar');
  await write(page, product, abbey, 'A kiln', 'Do you have one of 60 litres?');

  await page.goto(product.url);
  await page.getByRole('button', { name: 'New workflow' }).first().click();
  const from = page.getByRole('region', { name: 'From', exact: true });
  await from.getByRole('button', { name: /^Post room/ }).click();
  await page.getByLabel('Password', { exact: true }).fill('not this one');
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  await expect(page.getByRole('dialog')).toContainText('doesn’t let hello@saltmarsh.example in');
  await page.getByLabel('Password', { exact: true }).fill(password);
  await page.getByRole('button', { name: /^(Connect|Save)/ }).click();
  await from
    .getByLabel('Places')
    .getByRole('button', { name: /^Inbox/ })
    .click();
  await expect(from.getByText('Do you have one of 60 litres?').first()).toBeVisible();
  const to = page.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Post room/ }).click();
  await to
    .getByLabel('Places')
    .getByRole('button', { name: /^Answers to mails/ })
    .click();
  await expect(page.getByLabel('Kind of copy')).toContainText('For each new one an answer is sent, once.');
  await page.getByRole('button', { name: 'Make the draft' }).click();

  // The letter is typed as it will be read, and stands whole in the sheet.
  const brief = page.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText('Keep those whose written by is a person.');
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  const letter = page.getByRole('textbox', { name: 'Text of text' });
  await letter.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('thank you for your mail about “{subj');
  await page.getByRole('option', { name: /^subject/ }).click();
  await page.keyboard.type('”.\nSaltmarsh Kiln Supply');
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet).toContainText('Dear Abbey,\n\nthank you for your mail about “A kiln”.\nSaltmarsh Kiln Supply');
  // A file goes along, added where it is needed.
  await page.getByRole('button', { name: /^Fill attached file:/ }).click();
  await page.getByLabel('A file for attached file').setInputFiles({
    name: 'Kiln prices.pdf',
    mimeType: 'application/pdf',
    buffer: Buffer.from('%PDF-1.7 prices'),
  });
  await expect(sheet.getByRole('row', { name: /^attached file/ })).toContainText('Kiln prices.pdf');
  await page.getByRole('button', { name: /^Accept \d+ suggested/ }).click();

  // Tried on a colleague's mailbox: told for whom it was; the customer gets nothing.
  await page.getByRole('button', { name: 'Send one for real' }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByRole('radio', { name: /Abbey Bechtelar/ }).check();
  await expect(drawer.getByRole('radio', { name: /Mails go to me/ })).toBeChecked();
  await expect(drawer.getByRole('button', { name: 'Send this one' })).toBeDisabled();
  await drawer.getByLabel('My e-mail address').fill('mira@saltmarsh.example');
  await drawer.getByRole('button', { name: 'Send this one' }).click();
  await expect(drawer).toContainText('A trial: mails went to mira@saltmarsh.example.');
  expect(await subjects(product, 'mira@saltmarsh.example')).toEqual([`Re: For ${abbey}: A kiln`]);
  expect(await subjects(product, abbey)).toEqual([]);
  await takeItBack(drawer);
  await expect(drawer.getByText('undone', { exact: true })).toBeVisible();
  await putAway(page);

  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await page.getByRole('button', { name: 'Make it live…' }).click();
  await page.getByRole('button', { name: 'Make it live', exact: true }).click();
  await expect(page.getByText('first run, version 1')).toBeVisible();

  // From now on each mail is answered without anybody checking; a program that answers by itself gets none.
  await write(page, product, abbey, 'Delivery', 'How much is it to Cork?');
  await expect.poll(() => subjects(product, abbey)).toEqual(['Re: Delivery']);
  const raw = await mailOf(product, abbey, 1);
  expect(raw).toContain('Dear Abbey,');
  expect(raw).toMatch(/In-Reply-To: <[^>]+@bechtelar\.example>/);
  expect(raw).toContain('Auto-Submitted: auto-replied');
  expect(raw).toContain('Kiln prices.pdf');
  await atPost(page, product, `/mailboxes/${encodeURIComponent(abbey)}/INBOX`, async (post) => {
    await post.getByLabel('Away note').fill('I am away until Monday.');
    await send(post.getByRole('button', { name: 'Save away note' }));
  });
  await write(page, product, abbey, 'One more thing', 'Do you take old kilns back?');
  await expect.poll(() => subjects(product, abbey)).toEqual(['Re: One more thing', 'Re: Delivery']);
  const id = await workflowCalled(product, 'Post room mails, answered');
  await ask(product, 'POST', `/api/workflows/${id}/check`, {});
  const runs = () => ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`);
  await expect.poll(async () => (await runs()).every(({ state }) => state === 'done')).toBe(true);
  expect(await subjects(product, abbey)).toEqual(['Re: One more thing', 'Re: Delivery']);
});

test('the demo’s mails: what a person asked stands in the list, quoted mails and signatures left out; a gap in a letter is seen', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/workflows`);
  await page.getByRole('link', { name: 'Mails of customers, listed and answered' }).click();
  const brief = page.getByRole('region', { name: 'Brief' });
  await brief.getByRole('button', { name: /Append a row/ }).click();
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet).toContainText('Können Sie bis Emden liefern?');
  await expect(sheet).not.toContainText('Mit freundlichen');
  await brief.getByRole('button', { name: /Send an answer/ }).click();
  await expect(sheet).toContainText('Dear customer,');
  // What the business says of itself stands below.
  await expect(sheet).toContainText('Mira Holm\nSaltmarsh Kiln Supply');
  // Without the words for an empty name "Dear ," is told, for whom it would be read so.
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  const letter = page.getByRole('textbox', { name: 'Text of text' });
  await letter.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('Dear {writer’s first name},\n\nthank you.');
  await expect(sheet).toContainText('empty here: writer’s first name');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(sheet).not.toContainText('empty here');
});

test('a mailbox is signed in to on its host’s own page; a leave that is withdrawn there is told, and given again', async ({
  page,
  empty: product,
}) => {
  const drawer = await connectDrawer(page, product);
  // A mailbox anywhere asks for what its host gave; the host asks where to come back to.
  await drawer.getByRole('button', { name: /^Mailbox/ }).click();
  await drawer.getByRole('radio', { name: /own page/ }).check();
  await expect(drawer.getByLabel('Client id')).toBeVisible();
  await expect(drawer.getByText(`${product.url}/api/sign-in/back`)).toBeVisible();
  await drawer.getByRole('button', { name: 'Another app' }).click();
  await drawer.getByRole('button', { name: /^Post room/ }).click();
  await drawer.getByLabel('E-mail address').fill('mira@saltmarsh.example');
  await drawer.getByRole('radio', { name: /own page/ }).check();
  await expect(drawer.getByLabel('Password', { exact: true })).toHaveCount(0);
  // What was typed before is still there.
  await expect(drawer.getByLabel('E-mail address')).toHaveValue('mira@saltmarsh.example');
  const allow = async (click: () => Promise<void>, answer: string): Promise<void> => {
    const popup = page.waitForEvent('popup');
    await click();
    const there = await popup;
    await expect(there.getByLabel('Sign in as')).toHaveValue('mira@saltmarsh.example');
    await there.getByRole('button', { name: answer }).click();
    await expect(there.getByRole('heading').first()).toBeVisible();
    await there.close();
  };
  const go = () => drawer.getByRole('button', { name: 'Go to the sign-in page' }).click();
  await allow(go, 'Refuse');
  await expect(drawer.getByText('leave was refused')).toBeVisible();
  await allow(go, 'Allow');
  await expect(page.getByText('Signed in as mira@saltmarsh.example', { exact: false }).first()).toBeVisible();
  const [made] = await ask<{ id: string; settings: Record<string, string> }[]>(product, 'GET', '/api/connections');
  // No password of the mailbox, and no token, stands where settings do.
  expect(Object.keys(made?.settings ?? {})).not.toContain('key');

  await fetch(`${product.post}/practice/tokens`, { method: 'POST', body: new URLSearchParams({ what: 'revoke' }) });
  await page.goto(`${product.url}/connections`);
  await page.getByRole('button', { name: 'Check now' }).click();
  await expect(page.getByText('the sign-in has ended. Sign in again').first()).toBeVisible();
  await page.getByRole('table').getByText('Post room').first().click();
  await allow(() => page.getByRole('button', { name: 'Sign in again' }).click(), 'Allow');
  await expect(page.getByRole('dialog').getByText('Signed in as mira@saltmarsh.example')).toBeVisible();
});

test('mails come to an address of its own: forwarding is confirmed, switched on and seen to work before each is answered in its thread', async ({
  page,
  empty: product,
}) => {
  await addMailbox(page, product, abbey, 'Abbey Bechtelar');
  // The mailbox through which answers go out.
  await ask(product, 'POST', '/api/connections', {
    app: 'post_room',
    name: 'Post room',
    settings: { address: `${product.post}/api`, user: us },
    key: password,
  });
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: 'Start in another way' }).click();
  const ways = page.getByRole('dialog');
  await ways.getByRole('radio', { name: /^A mail comes to an address of its own/ }).check();
  await ways.getByLabel('What are the mails about?').fill('Enquiries');
  await ways.getByRole('button', { name: 'Go on' }).click();

  const address = await page.getByRole('textbox', { name: 'The address', exact: true }).inputValue();
  expect(address).toMatch(/^enquiries-[a-z0-9]{10}@relay\.localhost$/);
  await page.getByLabel('The mailbox whose mails are sent on').fill(us);
  await page.getByRole('button', { name: 'Set up forwarding' }).click();
  const steps = page.getByRole('list', { name: 'Set up forwarding' });
  await expect(steps).toContainText(`In the settings of ${us}, add this address`);

  // At the mailbox: the address is entered, and its host asks. Its mail appears here, with the page to open.
  const settings = `/mailboxes/${encodeURIComponent(us)}/INBOX`;
  await atPost(page, product, settings, async (post) => {
    await post.getByLabel('Forward to').fill(address);
    await send(post.getByRole('button', { name: 'Ask for a confirmation' }));
  });
  const [host] = await Promise.all([
    page.waitForEvent('popup'),
    steps.getByRole('link', { name: /forwarding/ }).click(),
  ]);
  await send(host.getByRole('button', { name: 'Confirm forwarding' }));
  await host.close();

  // Confirmed isn’t switched on: a test mail says so.
  await steps.getByRole('button', { name: 'Send it' }).click();
  await expect(steps).toContainText('It hasn’t come on yet: is forwarding switched on?');
  // It lies in the mailbox before forwarding is switched on there: what comes later is sent on.
  await expect.poll(() => subjects(product, us)).toContainEqual(expect.stringContaining('Testing forwarding'));
  await expect(steps.getByRole('button', { name: 'Send another' })).toBeEnabled();
  await atPost(page, product, settings, (post) => send(post.getByRole('button', { name: 'Switch forwarding on' })));
  await steps.getByRole('button', { name: 'Send another' }).click();
  await expect(page.getByText(`Forwarding from ${us} works.`)).toBeVisible();
  const came = page.getByRole('region', { name: 'Mails that came' });
  await expect(came).toContainText('asked for a confirmation');
  await expect(came).toContainText('0 mails came');

  // The first one that somebody writes is a sample at once.
  await write(page, product, abbey, 'A kiln', 'Do you have one of 60 litres?');
  await expect(came).toContainText('1 mail came');
  await page.getByRole('button', { name: 'Choose where to' }).click();
  const to = page.getByRole('dialog');
  await to.getByRole('button', { name: /^Post room/ }).click();
  await to
    .getByLabel('Places')
    .getByRole('button', { name: /^Answers to mails/ })
    .click();
  await to.getByRole('button', { name: 'Make the draft' }).click();
  const brief = page.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText('Keep those whose written by is a person.');
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  const letter = page.getByRole('textbox', { name: 'Text of text' });
  await letter.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('thank you for your mail.');
  await page.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('first run, version 1')).toBeVisible();

  await write(page, product, abbey, 'Delivery', 'How much is it to Cork?');
  await expect.poll(() => subjects(product, abbey)).toEqual(['Re: Delivery']);
  const raw = await mailOf(product, abbey, 1);
  expect(raw).toMatch(/In-Reply-To: <[^>]+@bechtelar\.example>/);
  // Her away note answers what a person writes to her; a program wrote it, so nobody answers it.
  await atPost(page, product, `/mailboxes/${encodeURIComponent(abbey)}/INBOX`, async (post) => {
    await post.getByLabel('Away note').fill('Back on Monday.');
    await send(post.getByRole('button', { name: 'Save away note' }));
  });
  await atPost(page, product, `/mailboxes/${encodeURIComponent(us)}/write`, async (post) => {
    await post.getByLabel('To').fill(abbey);
    await post.getByLabel('Subject').fill('Your visit');
    await post.getByLabel('Text').fill('See you on Sunday.');
    await send(post.getByRole('button', { name: 'Send mail' }));
  });
  const id = await workflowCalled(product, 'Enquiries');
  const states = async () => {
    const runs = await ask<{ balance: { items: Record<string, number> } }[]>(
      product,
      'GET',
      `/api/workflows/${id}/runs`,
    );
    return ['delivered', 'left_out'].map((state) =>
      runs.reduce((sum, { balance }) => sum + (balance.items[state] ?? 0), 0),
    );
  };
  await expect.poll(states).toEqual([1, 1]);
  expect(await subjects(product, abbey)).toEqual(['Your visit', 'Re: Delivery']);
});

test('a mail becomes a row and, added later, a task; a customer becomes a task by the board’s own address', async ({
  page,
  demo: product,
}) => {
  const quiet = await quieten(product);
  await page.goto(`${product.url}/workflows`);
  await page.getByRole('link', { name: 'Mails of customers, listed and answered' }).click();
  await page.getByRole('button', { name: 'Add or update a record' }).last().click();
  await choose(page, 'To app', 'Job board');
  await choose(page, 'Place', /^Shop/);
  await choose(page, 'Place in shop', /^Front desk/);
  await page.getByLabel('How records are written').selectOption('append a task each time');
  await fillField(page, 'title', 'subject');
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet.getByRole('row', { name: /^title/ })).toContainText('Anfrage Großbrand');
  await page.getByRole('button', { name: 'Fill column:' }).click();
  await page.getByRole('button', { name: 'a choice' }).click();
  await page.getByLabel('The choice').selectOption('To do');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText(/, version 2$/).first()).toBeVisible();
  await quiet();
  const titles = async (): Promise<string[]> => {
    const html = await (await fetch(`${product.jobs}/boards/front-desk`)).text();
    return [...html.matchAll(/<strong>([^<]+)<\/strong>\s*<div class="muted">/g)].map((found) => found[1] ?? '');
  };
  await addMailbox(page, product, 'orla@tierney.example', 'Orla Tierney');
  await write(page, product, 'orla@tierney.example', 'Kiln shelves', 'Do you cut them to size?');
  await expect.poll(titles).toContain('Kiln shelves');
  expect((await titles()).filter((title) => title === 'Kiln shelves')).toHaveLength(1);

  // A new customer of the shop is told to the board by mail.
  const connections = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  const of = (app: string): string => connections.find((one) => one.app === app)?.id ?? '';
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: of('shop_counter'), path: ['customers'], labels: ['Customers'] },
    to: { connection: of('post_room'), path: ['outgoing'], labels: ['Mails to send'] },
    kind: 'each_new',
  });
  await page.goto(`${product.url}/workflows/${id}`);
  await page.locator('[data-sentence]').last().click();
  await page.getByRole('button', { name: /^Fill to:/ }).click();
  await page.getByRole('button', { name: 'a fixed value' }).click();
  await page.getByLabel('The fixed value').fill('front-desk@jobs.localhost');
  await page.getByRole('button', { name: /^Fill subject:/ }).click();
  await page.getByRole('button', { name: 'a field', exact: true }).click();
  await page.getByLabel('Search the fields').fill('email');
  await page.getByLabel('Search the fields').press('Enter');
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  const letter = page.getByRole('textbox', { name: 'Text of text' });
  await letter.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('For: Mira Holm\nSend the price list to {first name, else them}.');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await addCustomer(page, product, { 'First name': 'Orla', 'Last name': 'Tierney', 'E-mail': 'orla@tierney.example' });
  await page.bringToFront();
  await ask(product, 'POST', `/api/workflows/${id}/check`, {});
  await expect.poll(titles).toContain('orla@tierney.example');
  const board = await (await fetch(`${product.jobs}/boards/front-desk`)).text();
  expect(board).toContain('Send the price list to Orla.');
  expect(board).toMatch(/orla@tierney\.example<\/strong>\s*<div class="muted">Mira Holm/);
});
