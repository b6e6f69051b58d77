import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { LookupStep, WriteStep } from '@golden/core';
import { productAroundEach } from '../testing/around.ts';
import { goLive, unbalanced } from '../testing/checks.ts';
import { notesFolder, notesWorkflow, textFilling } from '../testing/notes.ts';
import { connectLedger, fieldFilling, placeOf } from '../testing/world.ts';

// A statement for each trade account, with all its invoices; judged by poppler's text of what lies in the folder.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

/** An account of the trade company with so many invoices, each of 12.00. */
function account(name: string, count: number): void {
  const { customers, invoices } = around.world.ledger.store;
  const { id: customerId } = customers.add({
    company: 'trade',
    name,
    contactName: null,
    electronicMail: null,
    telephone: null,
    companyId: null,
    postalAddress: { streetName: null, cityName: null, postalZone: null, countryCode: null },
    paymentTermsDays: 30,
    reference: null,
  });
  for (let number = 1; number <= count; number++)
    invoices.add({
      company: 'trade',
      invoiceNumber: `${name}-${number}`,
      issueDate: '2026-11-03',
      dueDate: '2026-12-03',
      currencyCode: 'GBP',
      customerId,
      buyerReference: null,
      note: null,
      invoiceLines: [],
      allowanceTotalAmount: 0,
      chargeTotalAmount: 0,
      chargeTaxCategory: 'S',
      chargeTaxPercent: 20,
      lineExtensionAmount: 1000,
      taxExclusiveAmount: 1000,
      taxAmount: 200,
      taxInclusiveAmount: 1200,
      prepaidAmount: 0,
      payableAmount: 1200,
      reference: null,
    });
}

const page = {
  blocks: [
    { kind: 'heading', text: 'Statement for {name}' },
    { kind: 'text', text: '{count} invoices' },
    {
      kind: 'lines',
      of: 'invoices',
      columns: [
        { label: 'Invoice', text: '{number}' },
        { label: 'Due', text: '{due}' },
        { label: 'To pay', text: '{amount}', isMoney: true, hasTotal: true },
      ],
    },
  ],
};

const line = (path: string) => ({ kind: 'field' as const, ref: { step: 'line', path }, tidies: [] });
const mapping: WriteStep['mapping'] = {
  '/$name': textFilling('Statement ', { ref: '/name' }),
  '/name': fieldFilling('/name'),
  '/count': { kind: 'field', ref: { step: 'all', path: '/count' }, tidies: [] },
  '/invoices': {
    kind: 'lines',
    ref: { step: 'all', path: '/records' },
    mapping: { '/number': line('/invoiceNumber'), '/due': line('/dueDate'), '/amount': line('/payableAmount') },
  },
};

async function statements(): Promise<string> {
  const ledger = await connectLedger(around.world, around.services);
  const id = await notesWorkflow(around, {
    name: 'Statement.json',
    bytes: JSON.stringify(page),
    start: { source: await placeOf(around.services, ledger, ['trade', 'customers']) },
    step: { mapping },
  });
  const { draft, draftRev } = await around.services.workflows.get(id);
  const all: LookupStep = {
    id: 'all',
    kind: 'lookup',
    target: await placeOf(around.services, ledger, ['trade', 'invoices']),
    mapping: {},
    ladder: { rungs: [], atNone: 'ask', atUnclear: 'best' },
    all: { path: '/customerId', value: fieldFilling('/id') },
  };
  await around.services.workflows.saveDraft(id, { ...draft, steps: [all, ...draft.steps] }, draftRev);
  return id;
}

const textOf = (name: string): string =>
  execFileSync('pdftotext', ['-layout', join(notesFolder(around), name), '-'], { encoding: 'utf8' });
const there = (): string[] => (existsSync(notesFolder(around)) ? readdirSync(notesFolder(around)).sort() : []);

test('each account gets one statement with all its invoices and their exact sum, however many pages the app gives them in', async () => {
  account('Thistle', 2);
  account('Ember', 230);
  account('Gannet', 0);
  const id = await statements();
  const told = await around.services.engine.lookUpSamples(id);
  expect(Object.values(told).map(({ all }) => all?.kind === 'found' && all.matches.length)).toEqual(
    expect.arrayContaining([2, 230, 0]),
  );
  await goLive(around.services, id);
  expect(there()).toEqual(['Statement Ember.pdf', 'Statement Gannet.pdf', 'Statement Thistle.pdf']);
  const ember = textOf('Statement Ember.pdf');
  expect(ember.match(/Ember-\d+ +03\/12\/2026 +12\.00/g)).toHaveLength(230);
  expect(ember).toMatch(/Total +2,760\.00/);
  expect(textOf('Statement Thistle.pdf')).toMatch(/Total +24\.00/);
  expect(textOf('Statement Gannet.pdf')).toContain('0 invoices');
});

test('what belongs to one record in too great a number is told, and no statement with a part of it is made', async () => {
  account('Ember', 1001);
  const id = await statements();
  await goLive(around.services, id);
  expect(there()).toEqual([]);
  const [item] = await around.services.db.selectFrom('item').select(['state', 'message']).execute();
  expect(item).toEqual({ state: 'unsettled', message: 'There are 1001 invoices, and at most 1000 are listed.' });
});
