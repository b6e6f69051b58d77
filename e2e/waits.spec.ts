import { cardKeys } from '../standins/src/index.ts';
import { ask, fillField, goLive, makeLive, putAway, send, workflowCalled } from './acts.ts';
import { expect, test } from './product.ts';

// Waits as an operations manager sets them up: seen before anything happens, stopped by who gets the mails.

test('mails over working days: a wait added, the calendar set in the middle, who gets what when, and one who stops it', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, 'Kiln leads, followed up');
  await page.goto(`${product.url}/workflows/${id}`);
  const brief = page.getByRole('region', { name: 'Brief' });
  // Three mails with waits between them read as one, with a line of time; the arrow keys go along it.
  const series = brief.getByRole('region', { name: 'Series of messages' });
  await expect(series).toContainText('Send 3 mails to email, as news, each counted from the start.');
  await expect(series.getByRole('listitem')).toHaveText([
    'after 1 working dayfirst mail',
    'after 2 working dayssecond mail',
    'after 4 working daysthird mail',
  ]);
  await series.getByRole('button', { name: /^second mail/ }).click();
  await page.keyboard.press('ArrowDown');
  await expect(series.getByRole('button', { name: /^after 4 working days/ })).toBeFocused();
  await series.getByRole('button', { name: 'Show each step' }).click();
  await expect(series).toBeHidden();
  await brief.getByRole('button', { name: 'Show these 3 messages as one' }).click();
  await brief.getByRole('button', { name: /Wait 1 working day, counted from the start/ }).click();
  const sheet = page.getByRole('region', { name: 'Worksheet' });
  await expect(sheet.getByText('Nobody waits while you rehearse')).toBeVisible();

  // Until a time of the day, and back by one undo: what was set is never lost.
  await sheet.getByLabel('Wait', { exact: true }).selectOption('time_of_day');
  await expect(brief.getByRole('button', { name: /Wait until 09:00 on a working day/ })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await sheet.getByLabel('How long').fill('3');
  await expect(brief.getByRole('button', { name: /Wait 3 working days/ })).toBeVisible();

  // The calendar, without leaving what one is doing.
  await sheet.getByRole('button', { name: 'Change hours and days off' }).click();
  const drawer = page.getByRole('dialog', { name: 'Working hours and days off' });
  await drawer.getByRole('button', { name: '24 hours, Monday to Friday' }).click();
  await drawer.getByLabel('Region').selectOption('SCT');
  // Of those that come next at least one is Scotland’s alone, whatever the date.
  await expect(drawer.getByText(/St Andrew.s Day|January 2nd/).first()).toBeVisible();
  await drawer.getByLabel('Name').fill('');
  await expect(drawer.getByRole('alert')).toContainText('Give the calendar a name.');
  await drawer.getByLabel('Name').fill('Workshop');
  await drawer.getByRole('button', { name: 'Save the calendars' }).click();
  await expect(drawer).toBeHidden();
  await expect(sheet.getByText('Counted by')).toContainText('Workshop');
  await expect(sheet.getByLabel('How long')).toHaveValue('3');

  // A stop link in the first mail, as a field like any other.
  const { content, rev } = await ask<{
    content: { steps: { id: string; mapping?: Record<string, { parts: object[] }> }[] };
    rev: number;
  }>(product, 'GET', `/api/workflows/${id}`);
  const steps = content.steps.map((step) => {
    const text = step.mapping?.['/text'];
    if (step.id !== 'mail-1' || !text) return step;
    const link = { kind: 'field', ref: { step: 'wait_links', path: '/stop' } };
    return { ...step, mapping: { ...step.mapping, '/text': { ...text, parts: [...text.parts, link] } } };
  });
  // A minute is what a test can wait for; the mails after it stay days away.
  const first = steps.map((step) =>
    step.id === 'wait-1' ? { ...step, until: { kind: 'time', amount: 0, unit: 'minutes', from: 'start' } } : step,
  );
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: { ...content, steps: first } });
  await makeLive(product, id);

  // A new lead, as somebody enters one in the Card index; whoever has no mailbox would soon need somebody instead.
  await enterLead(product, 'Isla Byrne', 'isla@byrne.example');
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await page.goto(`${product.url}/workflows/${id}/due`);
  const row = page.getByRole('row', { name: /Isla Byrne/ });
  await expect(row).toContainText('✓ first mail');
  // The demo has one who ended early already: a second entry of somebody who is in it.
  await expect(page.getByText('1 ended early')).toBeVisible();
  await expect(row).toContainText(/second mail|later|until/);

  // Whoever looks at another tab sees how many need them.
  await expect(page).toHaveTitle(/^\(\d+\) Workflows · Golden Relay$/);

  // She opens the link of her mail: nothing happens by that; then she stops it.
  const link = await linkOf(product, id, 'Isla Byrne');
  const hers = await page.context().newPage();
  await hers.goto(link);
  await expect(hers.getByRole('heading', { name: 'Stop these messages?' })).toBeVisible();
  await expect(row).toBeVisible();
  await hers.getByRole('button', { name: 'Stop them' }).press('Enter');
  await expect(hers.getByRole('heading')).toContainText('Nothing more of this series');
  await hers.goto(link);
  await expect(hers.getByRole('heading')).toContainText('was used already');
  await hers.close();
  await expect(row).toBeHidden();
  await expect(page.getByText('2 ended early')).toBeVisible();

  // One of the others is put off, another stopped by hand; both are seen at once.
  const other = page.getByRole('row', { name: /Rosa García Iglesias/ });
  await other.getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Put off by a day' }).click();
  await expect(page.getByText('Done for 1 record.')).toBeVisible();
  // Put off, it moves in the list, and may do so beneath the pointer.
  await expect(() => other.getByRole('checkbox').check({ timeout: 5000 })).toPass();
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Stop' }).click();
  await expect(other).toBeHidden();

  // Switched off, those who wait are asked about.
  await page.goto(`${product.url}/workflows/${id}/runs`);
  await page.getByRole('button', { name: 'Switch off' }).click();
  const asked = page.getByRole('dialog', { name: 'Switch it off?' });
  await expect(asked).toContainText('Hold them until it is switched on again');
  await asked.getByRole('button', { name: 'Switch off' }).click();
  await expect(page.getByText('Off. Make the draft live from Rehearse')).toBeVisible();
});

test('a wait that a booking ends: chosen on the sheet, told in the brief, seen where somebody books', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, 'Kiln leads, followed up');
  await page.goto(`${product.url}/workflows/${id}?sentence=wait-2`);
  const brief = page.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText('When something comes in bookings with the same email and status booked');
  const sheet = page.getByRole('region', { name: 'Worksheet' });
  const ended = sheet.getByRole('region', { name: 'Ended early' });

  // An order ends it too: where it comes is chosen, what is the same is proposed.
  await ended.getByRole('button', { name: 'End it when something comes elsewhere' }).click();
  const one = ended.getByRole('group', { name: 'Ending 1' });
  await one.getByLabel('From app').click();
  await page.getByRole('option', { name: /^Shop counter/ }).click();
  await one.getByLabel('Place', { exact: true }).click();
  await page.getByRole('option', { name: /^orders/ }).click();
  await expect(one.getByLabel('Field there')).toHaveValue('/email');
  await expect(one.getByLabel('Field here')).toHaveValue(/email/);
  await one.getByLabel('What happens then').selectOption('goes_on');
  await expect(brief).toContainText('When something comes in orders with the same email, it goes on at once.');
  await one.getByRole('button', { name: 'Remove ending 1' }).click();
  await expect(brief).not.toContainText('it goes on at once');
  interface Draft {
    readonly content: { readonly steps: readonly { readonly id: string; readonly endings?: readonly object[] }[] };
    readonly rev: number;
  }
  const saved = () => ask<Draft>(product, 'GET', `/api/workflows/${id}`);
  await expect.poll(async () => (await saved()).content.steps.flatMap(({ endings = [] }) => endings).length).toBe(1);

  // Whatever was tried before: the first mail goes out after a day.
  const { content, rev } = await saved();
  const until = { kind: 'time', amount: 1, unit: 'days', from: 'start' };
  const steps = content.steps.map((step) => (step.id === 'wait-1' ? { ...step, until } : step));
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: { ...content, steps } });

  // Somebody asks about a kiln, and books before the first mail goes out.
  await makeLive(product, id);
  await enterLead(product, 'Björn Åkesson', 'bjorn@akesson.example');
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await page.goto(`${product.url}/workflows/${id}/due`);
  const row = page.getByRole('row', { name: /Björn Åkesson/ });
  await expect(row).toBeVisible();

  // From Today to whoever waits, in whatever workflow.
  await page.goto(product.url);
  await page.getByRole('link', { name: /^\d+ waiting$/ }).click();
  await page.getByLabel('Search for a person').fill('björn');
  await expect(page.getByText('1 record waits')).toBeVisible();
  await expect(page.getByRole('row', { name: /Björn Åkesson/ })).toContainText('Kiln leads, followed up');
  await page.getByLabel('Search for a person').fill('');
  await expect(page.getByRole('row', { name: /Priya Nair/ })).toBeVisible();
  await page.getByRole('link', { name: 'Kiln leads, followed up' }).first().click();
  await expect(row).toBeVisible();
  const shop = await page.context().newPage();
  await shop.goto(`${product.shop}/bookings/new`);
  await shop.getByLabel('Name').fill('Björn Åkesson');
  await shop.getByLabel('E-mail').fill('Bjorn@Akesson.example');
  await shop.getByRole('button', { name: 'Book' }).click();
  await expect(shop.getByText('Bjorn@Akesson.example')).toBeVisible();
  await shop.close();
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await expect(row).toBeHidden();
  const runs = await ask<{ id: string }[]>(product, 'GET', `/api/workflows/${id}/runs`);
  const told: string[] = [];
  for (const run of runs)
    told.push(JSON.stringify(await ask(product, 'GET', `/api/runs/${run.id}/items?state=left_out`)));
  expect(told.join('\n')).toMatch(/The booking “[^”]*” came in bookings\./);

  // The last mail gets other words: the new version goes on with those who wait, and who began with an older one stays.
  await page.goto(`${product.url}/workflows/${id}?sentence=mail-4`);
  await sheet.getByRole('button', { name: 'Fill subject:' }).click();
  await sheet
    .getByRole('region', { name: 'Filling of subject' })
    .getByLabel('Words')
    .fill('Still thinking about a kiln?');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const waiting = page.getByRole('dialog').getByRole('group', { name: 'Who waits already' });
  await expect(waiting).toContainText('began with an earlier version');
  await putAway(page);
  await enterLead(product, 'Sölvi Ek', 'solvi@ek.example');
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  const waiters = () => ask<{ total: number; canGoOn: number }>(product, 'GET', `/api/workflows/${id}/waiters`);
  await expect.poll(async () => (await waiters()).canGoOn).toBeGreaterThan(0);
  const { total, canGoOn } = await waiters();
  await page.getByRole('button', { name: 'Make it live…' }).click();
  await waiting
    .getByRole('radio', {
      name: canGoOn < total ? / of them go(es)? on with this version$/ : /^They go on with this version/,
    })
    .check();
  await page.getByRole('dialog').getByRole('button', { name: 'Make it live', exact: true }).click();
  await expect(page).toHaveURL(/runs/);
  await expect.poll(async () => (await waiters()).total).toBe(total - canGoOn);
});

test('a text becomes a template, is used in a second workflow and changed for both: who waits for it is told, and nothing typed is lost', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, 'Kiln leads, followed up');
  const open = async (workflow: string, mail: string) => {
    await page.goto(`${product.url}/workflows/${workflow}?sentence=${mail}`);
    await page.getByRole('button', { name: 'Fill text:' }).click();
    return page.getByRole('region', { name: 'Filling of text' });
  };
  const drawer = page.getByRole('dialog');
  let filling = await open(id, 'mail-2');
  await filling.getByRole('button', { name: 'Templates' }).click();
  await drawer.getByLabel('Save this text as a template called').fill('Second mail');
  await drawer.getByRole('button', { name: 'Save it' }).click();
  await expect(drawer.getByText('stands here')).toBeVisible();
  await putAway(page);
  await expect(filling).toContainText('“Second mail”, version 1');
  interface Draft {
    readonly id: string;
    readonly content: {
      readonly steps: readonly { readonly mapping?: Record<string, { template?: { version: number } }> }[];
    };
  }
  const versionsIn = async (workflow: string) =>
    (await ask<Draft>(product, 'GET', `/api/workflows/${workflow}`)).content.steps.flatMap(
      ({ mapping }) => mapping?.['/text']?.template?.version ?? [],
    );
  await expect.poll(() => versionsIn(id)).toEqual([1]);
  // Somebody waits for it by the version that is live now.
  await makeLive(product, id);
  await enterLead(product, 'Tove Lind', 'tove@lind.example');
  await ask(product, 'POST', `/api/workflows/${id}/check`);

  const { id: second } = await ask<Draft>(product, 'POST', `/api/workflows/${id}/duplicate`);
  filling = await open(second, 'mail-4');
  await filling.getByRole('button', { name: 'Templates' }).click();
  await drawer.getByRole('button', { name: 'Use “Second mail” here' }).click();
  await expect(filling).toContainText('“Second mail”, version 1');
  await expect.poll(() => versionsIn(second)).toEqual([1, 1]);

  // Changed where one is; what was typed is there again after leaving.
  await filling.getByRole('button', { name: 'Templates' }).click();
  await drawer.getByRole('button', { name: 'Change “Second mail”' }).click();
  const words = drawer.getByRole('textbox', { name: 'Words of the template' });
  await words.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('Dear {name, else friend},\n\nwe are glad of {shoe size}.');
  await drawer.getByRole('button', { name: 'All templates' }).click();
  await drawer.getByRole('button', { name: 'Change “Second mail”' }).click();
  await expect(words).toContainText('we are glad of');
  await drawer.getByRole('button', { name: 'Save as version 2' }).click();
  const used = drawer.getByRole('region', { name: 'Where it is used' });
  await expect(used.getByRole('listitem').filter({ hasText: '1 record still waits' })).toContainText('live: version 1');
  await expect(used).toContainText('It has no {shoe size}: it would be sent as it stands.');
  await used.getByRole('button', { name: 'Put version 2 into these 2 drafts' }).click();
  await expect.poll(() => versionsIn(id)).toEqual([2]);
  await expect.poll(() => versionsIn(second)).toEqual([2, 2]);
  await expect(drawer.getByRole('region', { name: 'Earlier versions' })).toContainText('Version 1');
  await putAway(page);
  await expect(filling).toContainText('“Second mail”, version 2');
  // Other words in the field are a text of its own.
  await filling.getByRole('textbox', { name: 'Text of text' }).click();
  await page.keyboard.press('Control+End');
  await page.keyboard.insertText(' Yours, Mira');
  await expect(filling).not.toContainText('“Second mail”');
  await expect.poll(() => versionsIn(second)).toEqual([2]);
});

test('who is told: set, tried, and read in the mailbox; an address that is none is said at once', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/settings`);
  const told = page.getByRole('region', { name: 'Being told' });
  await told.getByLabel('Told through').selectOption({ index: 1 });
  await told.getByLabel('To', { exact: true }).fill('nobody');
  await told.getByRole('button', { name: 'Save who is told' }).click();
  await expect(page.getByText('“nobody” isn’t an e-mail address.')).toBeVisible();
  await expect(told.getByLabel('To', { exact: true })).toHaveValue('nobody');
  await told.getByLabel('To', { exact: true }).fill('mira@saltmarsh.example');
  await told.getByRole('button', { name: 'Send a mail to try it' }).click();
  await expect(page.getByText('Sent. Look whether the mail has come.')).toBeVisible();
  await told.getByLabel('Daily mail at').fill('');
  await told.getByRole('button', { name: 'Save who is told' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.reload();
  await expect(told.getByLabel('To', { exact: true })).toHaveValue('mira@saltmarsh.example');
  await expect(told.getByLabel('Daily mail at')).toHaveValue('');
});

test('who unsubscribes by the link in their mail gets none of the mails that would follow; a list is added, one comes back', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, 'Kiln leads, followed up');
  await page.goto(`${product.url}/workflows/${id}?sentence=mail-1`);
  const sheet = page.getByRole('region', { name: 'Worksheet' });
  const brief = page.getByRole('region', { name: 'Brief' });
  await expect(sheet.getByLabel('What it is for')).toHaveValue('news');
  await sheet.getByLabel('Words before the unsubscribe link').fill('Genug davon?');
  await sheet.getByLabel('What it is for').selectOption('service');
  await expect(brief.getByRole('button', { name: /Send a mail to email.*Mails to send\.$/ })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(brief.getByRole('button', { name: /Send a mail to email.*, as news\.$/ }).first()).toBeVisible();

  // The demo's own mails aren't due for days: one is sent now.
  await enterLead(product, 'Wren Ashdown', 'wren@ashdown.example');
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  const link = await linkOf(product, id, 'Wren Ashdown', 'unsubscribe');
  const theirs = await page.context().newPage();
  await theirs.goto(link);
  await expect(theirs.getByRole('heading')).toContainText('Nothing is sent by this link');
  await page.goto(`${product.url}/workflows/${id}/due`);
  await page
    .getByRole('row', { name: /Wren Ashdown/ })
    .getByRole('checkbox')
    .check();
  await page.getByRole('button', { name: 'Send now' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Send' }).click();
  await expect
    .poll(async () => {
      await theirs.goto(link);
      return theirs.getByRole('heading').textContent();
    })
    .toBe('Unsubscribe from news?');
  await theirs.getByRole('button', { name: 'Unsubscribe' }).click();
  await expect(theirs.getByRole('heading', { name: 'Done. No more news goes to wr…@ashdown.example.' })).toBeVisible();
  await theirs.close();

  await page.goto(`${product.url}/settings`);
  await page.getByRole('link', { name: 'See the list' }).click();
  await expect(page.getByRole('row', { name: /wren@ashdown\.example.*by the link in a mail/ })).toBeVisible();
  await page.getByRole('button', { name: 'Add people' }).click();
  const adding = page.getByRole('dialog', { name: 'Add people' });
  await adding
    .getByLabel('E-mail addresses or telephone numbers')
    .fill('"Ola Berg";OLA@fjord.example\n01632 960 111\nnobody at all\nwren@ashdown.example');
  await adding.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(adding.getByText('2 people added, 1 were on the list already.')).toBeVisible();
  await expect(adding.getByLabel('E-mail addresses or telephone numbers')).toHaveValue('nobody at all');
  await putAway(page);
  await page.getByLabel('Search for an address').fill('fjord');
  const ola = page.getByRole('row', { name: /ola@fjord\.example/ });
  await ola.getByRole('button', { name: 'Wants news again' }).click();
  const back = page.getByRole('dialog', { name: 'ola@fjord.example wants news again' });
  await back.getByLabel('When and how they asked for it').fill('asked Mira at the fair');
  await back.getByRole('button', { name: 'Send them news again' }).click();
  await expect(ola.getByText('asked Mira at the fair')).toBeVisible();
});

/** A new lead who wants news, as somebody enters one in the Card index. */
async function enterLead(product: { cards: string }, name: string, email: string): Promise<void> {
  const entered = await fetch(`${product.cards}/api/leads`, {
    method: 'POST',
    headers: {
      'content-type': 'application/vnd.api+json',
      authorization: `Bearer ${cardKeys.find((one) => one.mayWrite)?.key}`,
    },
    body: JSON.stringify({ data: { type: 'leads', attributes: { name, email, wantsNews: true } } }),
  });
  expect(entered.status).toBe(201);
}

/** A link of a record that waits: the stop link, or the one by which its recipient unsubscribes. */
async function linkOf(product: { url: string }, workflow: string, who: string, kind = 'stop'): Promise<string> {
  let link = '';
  await expect
    .poll(async () => {
      const due = (await (
        await fetch(`${product.url}/api/workflows/${workflow}/due?search=${encodeURIComponent(who)}`)
      ).json()) as {
        rows: { id: string }[];
      };
      const item = due.rows[0]?.id;
      if (item === undefined) return '';
      const text = await (await fetch(`${product.url}/api/items/${item}`)).text();
      link = new RegExp(`http://127\\.0\\.0\\.1:\\d+/go/${kind}/[\\w-]+/[\\w-]+`).exec(text)?.[0] ?? '';
      return link;
    })
    .not.toBe('');
  return link;
}

test('who unsubscribes from the newsletter may not be mailed by the card index either: a ready-made workflow, judged in both apps', async ({
  page,
  demo: product,
}) => {
  const name = 'Unsubscribed from the newsletter';
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: new RegExp(`^${name}`) }).click();
  await page.getByRole('button', { name: 'Make a draft' }).click();
  await page.getByRole('link', { name: 'Rehearse' }).click();
  await goLive(page);
  await expect(page.getByText('first run, version 1')).toBeVisible();

  // Somebody with a card who may be mailed joins the newsletter, and leaves it again on its own screen.
  const authorization = `Bearer ${cardKeys.find((one) => one.mayWrite)?.key}`;
  const card = { type: 'people', attributes: { lastName: 'Vance', email: 'ona@vance.example', mayBeMailed: true } };
  const headers = { 'content-type': 'application/vnd.api+json', authorization };
  const made = await fetch(`${product.cards}/api/people`, {
    method: 'POST',
    headers,
    body: JSON.stringify({ data: card }),
  });
  const { data } = (await made.json()) as { data: { id: string } };
  const mayBeMailed = async (): Promise<unknown> => {
    const answer = await fetch(`${product.cards}/api/people/${data.id}`, { headers });
    return ((await answer.json()) as { data: { attributes: Record<string, unknown> } }).data.attributes['mayBeMailed'];
  };
  const letters = await page.context().newPage();
  await letters.goto(`${product.newsletter}/lists/potters`);
  await letters.getByLabel('E-mail').fill('Ona@Vance.example');
  await send(letters.getByRole('button', { name: 'Subscribe', exact: true }));
  const id = await workflowCalled(product, name);
  const states = async (): Promise<string[]> =>
    (await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`)).map(({ state }) => state);
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await expect.poll(async () => (await states()).every((state) => state === 'done')).toBe(true);
  expect(await mayBeMailed()).toBe(true);
  await send(letters.getByRole('row', { name: /Ona@Vance\.example/ }).getByRole('button', { name: 'Unsubscribe' }));
  await letters.close();
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await expect.poll(mayBeMailed).toBe(false);
  await page.goto(`${product.url}/unsubscribed`);
  await expect(page.getByRole('row', { name: /ona@vance\.example.*in the newsletter/ })).toBeVisible();
});

test('a posted new customer waits half an hour: one gets a personal mail, one stops it by the link, one books and gets none', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: 'Start in another way' }).click();
  await page.getByLabel('What is posted?').fill('New customers');
  await page.getByRole('button', { name: 'Go on' }).click();
  await page.getByRole('button', { name: 'Make a secret' }).click();
  const secret = await page.getByLabel('The secret', { exact: true }).inputValue();
  const address = await page.getByLabel('The address', { exact: true }).inputValue();
  const post = async (number: number, name: string, email: string): Promise<void> => {
    const headers = { 'content-type': 'application/json', 'x-secret': secret };
    const body = JSON.stringify({ id: `c-${number}`, name, email });
    expect((await fetch(address, { method: 'POST', headers, body })).status).toBe(202);
  };
  await page.getByRole('button', { name: 'Wait for an event' }).click();
  await post(0, 'Somebody', 'somebody@clay.example');
  await expect(page.getByText('One has come.')).toBeVisible();
  await page.getByRole('button', { name: 'Choose where to' }).click();
  const drawer = page.getByRole('dialog');
  await drawer
    .getByRole('button', { name: /^Post room/ })
    .first()
    .click();
  await drawer.getByRole('button', { name: /^Mails to send/ }).click();
  await drawer.getByRole('button', { name: 'Make the draft' }).click();

  // Half an hour, unless they book; then the mail, personal.
  const brief = page.getByRole('region', { name: 'Brief' });
  await brief.getByRole('button', { name: 'Wait', exact: true }).click();
  await page.keyboard.press('Alt+ArrowUp');
  const sheet = page.getByRole('region', { name: 'Worksheet' });
  await sheet.getByLabel('How long').fill('30');
  await sheet.getByLabel('Unit').selectOption('minutes');
  const ended = sheet.getByRole('region', { name: 'Ended early' });
  await ended.getByRole('button', { name: 'End it when something comes elsewhere' }).click();
  const one = ended.getByRole('group', { name: 'Ending 1' });
  await one.getByLabel('From app').click();
  await page.getByRole('option', { name: /^Shop counter/ }).click();
  await one.getByLabel('Place', { exact: true }).click();
  await page.getByRole('option', { name: /^bookings/ }).click();
  await expect(brief).toContainText('When something comes in bookings with the same email, nothing more is done.');
  await expect(brief.locator('[data-sentence]')).toHaveText([/^.*When/, /Wait 30 minutes/, /Send a mail/]);
  await brief.getByRole('button', { name: /Send a mail/ }).click();
  await fillField(page, 'to', 'email');
  await page.getByLabel('What it is for').selectOption('service');
  await page.getByRole('button', { name: /^Fill subject:/ }).click();
  await page.getByRole('button', { name: 'a fixed value' }).click();
  await page.getByLabel('The fixed value').fill('Welcome to the kiln shed');
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  await page.getByRole('textbox', { name: 'Text of text' }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('Dear {name},\nhow did you hear of us?\n\nNo more of these: {stop link}');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('Each event is taken in as it comes')).toBeVisible();
  const id = page.url().split('/workflows/')[1]?.split('/')[0] ?? '';

  await post(1, 'Abbey Bechtelar', 'abbey@bechtelar.example');
  await post(2, 'Sten Moe', 'sten@moe.example');
  await post(3, 'Cleo Book', 'cleo@book.example');
  await page.goto(`${product.url}/workflows/${id}/due`);
  const row = (name: string) => page.getByRole('row', { name: new RegExp(name) });
  for (const name of ['Abbey Bechtelar', 'Sten Moe', 'Cleo Book']) await expect(row(name)).toBeVisible();
  const inboxOf = async (): Promise<string> =>
    (await fetch(`${product.post}/mailboxes/abbey@bechtelar.example/INBOX`)).text();
  expect(await inboxOf()).not.toContain('Welcome to the kiln shed');

  const theirs = await page.context().newPage();
  await theirs.goto(await linkOf(product, id, 'Sten Moe'));
  await theirs.getByRole('button', { name: 'Stop them' }).click();
  await expect(theirs.getByRole('heading')).toContainText('Nothing more of this series');
  await theirs.goto(`${product.shop}/bookings/new`);
  await theirs.getByLabel('Name').fill('Cleo Book');
  await theirs.getByLabel('E-mail').fill('cleo@book.example');
  await theirs.getByRole('button', { name: 'Book' }).click();
  await expect(theirs.getByText('cleo@book.example')).toBeVisible();
  await expect(row('Sten Moe')).toBeHidden();
  // The bookings are looked at about once a minute while somebody waits for them; and at once when somebody asks an app.
  const other = await workflowCalled(product, 'Shop customers onto the customer list');
  await ask(product, 'POST', `/api/workflows/${other}/check`);
  await expect(row('Cleo Book')).toBeHidden();
  // Half an hour is longer than a test: a person sends it now.
  await row('Abbey Bechtelar').getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Send now' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Send' }).click();
  await expect(row('Abbey Bechtelar')).toBeHidden();
  await expect.poll(inboxOf).toContain('Welcome to the kiln shed');
  await theirs.close();
});
