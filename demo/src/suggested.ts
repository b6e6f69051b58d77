import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  type Field,
  type Filling,
  fieldAt,
  type Ref,
  totalRoleOf,
  type WorkflowContent,
  type WriteStep,
} from '@golden/core';
import { copyBetween, makeServices, type Services } from '@golden/server';
import { listen } from '@golden/standins';
import { messyCsv } from './messy-list.ts';
import type { LabelledPair, PairEnd } from './pairs.ts';
import { fillPracticeApps, type PracticeKey } from './practice-data.ts';
import { frenchCsv, paymentList, polishCsv } from './workbooks.ts';

/** What is proposed for a pair of places, against what a person would map. */
export interface Score {
  readonly name: string;
  /** Proposals that are what a person would map, of all proposals. */
  readonly right: number;
  readonly proposed: number;
  /** What a person would map, and how much of it comes rightly proposed. */
  readonly wanted: number;
  readonly covered: number;
  /** What is otherwise than a person would have it, in words; what is of money, ids and recognising apart. */
  readonly wrong: readonly string[];
  readonly wrongAndDear: readonly string[];
  readonly missing: readonly string[];
}

/**
 * Scores the proposals of whole drafts, made as the three choices make them, between the practice apps'
 * own places. What is right is judged elsewhere.
 */
export async function scoreSuggestions(pairs: readonly LabelledPair[], customers = 300): Promise<Score[]> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-pairs-'));
  const { shop, shelf, books, cards, keys, ...made } = await fillPracticeApps(
    join(folder, 'practice'),
    customers,
    '2026-11-23T12:00:00.000Z',
  );
  shop.store.addAll(made.customers);
  shelf.files.replace('Kundenliste.csv', messyCsv(), undefined);
  shelf.files.replace('Clients.csv', frenchCsv(), undefined);
  shelf.files.replace('Firmy.csv', polishCsv(), undefined);
  shelf.files.replace('Payments.xlsx', await paymentList(), undefined);
  const listening = await Promise.all([shop, shelf, books, cards].map(({ app }) => listen(app, 0)));
  const services = await makeServices({
    dataFile: join(folder, 'golden.sqlite'),
    masterKey: 'a master key for scoring',
    logLevel: 'silent',
  });
  try {
    const connections = await connectAll(
      services,
      keys,
      listening.map(({ url }) => url),
    );
    const scores: Score[] = [];
    for (const pair of pairs) scores.push(await scorePair(services, pair, connections));
    return scores;
  } finally {
    await services.close();
    for (const one of listening) await one.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function connectAll(
  { connections }: Services,
  keys: readonly PracticeKey[],
  urls: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  const apps = ['shop_counter', 'workbook_shelf', 'ledger', 'card_index'];
  const made = new Map<string, string>();
  for (const [at, app] of apps.entries()) {
    const { name, key } = keys.find((one) => one.app === app) ?? { name: app, key: '' };
    made.set(app, (await connections.add({ app, name, settings: { address: `${urls[at]}/api` }, key })).id);
  }
  return made;
}

async function scorePair(
  services: Services,
  { name, from, to, right }: LabelledPair,
  connections: ReadonlyMap<string, string>,
): Promise<Score> {
  const end = ({ app, path }: PairEnd) => ({
    connection: connections.get(app) ?? '',
    path: [...path],
    labels: [...path],
  });
  const draft = await copyBetween(services, end(from), end(to), 'in_step');
  const write = draft.steps.find((step): step is WriteStep => step.kind === 'write');
  const proposed = write ? proposalsOf(write.mapping, draft) : new Map<string, string>();
  const fields = write?.target?.described.fields ?? [];
  const wanted = new Map(Object.entries(right).map(([path, said]) => [path, said.split('|').map(tidied)]));
  const isRight = (path: string): boolean => wanted.get(path)?.includes(proposed.get(path) ?? '') ?? false;
  const said = (path: string): string =>
    `${path}: ${proposed.get(path) || 'nothing'} instead of ${wanted.get(path)?.[0] || 'nothing'}`;
  const all = [...proposed.keys()];
  const mapped = [...wanted.keys()].filter((path) => !wanted.get(path)?.includes(''));
  const wrong = all.filter((path) => !isRight(path));
  const isDear = (path: string): boolean => path === write?.key || isMoneyOrId(fieldOf(fields, path));
  return {
    name,
    right: all.length - wrong.length,
    proposed: all.length,
    wanted: mapped.length,
    covered: mapped.filter(isRight).length,
    wrong: wrong.map(said),
    wrongAndDear: wrong.filter(isDear).map(said),
    missing: mapped.filter((path) => !proposed.has(path)).map(said),
  };
}

const isMoneyOrId = (field: Field | undefined): boolean =>
  field !== undefined && (field.type === 'id' || field.type === 'money' || totalRoleOf(field) !== undefined);

/** A field of the destination, or of its lines: "/invoiceLines/priceAmount". */
function fieldOf(fields: readonly Field[], path: string): Field | undefined {
  const list = fields.find((one) => one.fields && path.startsWith(`${one.path}/`));
  return fieldAt(fields, path) ?? (list?.fields && fieldAt(list.fields, path.slice(list.path.length)));
}

/** Each proposal in the words of the labels, by the destination's field. */
function proposalsOf(mapping: WriteStep['mapping'], draft: WorkflowContent, above = ''): Map<string, string> {
  return new Map(
    Object.entries(mapping).flatMap(([path, filling]): [string, string][] =>
      filling.kind === 'lines'
        ? [...proposalsOf(filling.mapping, draft, `${above}${path}`)]
        : [[`${above}${path}`, tidied(inWords(filling, draft))]],
    ),
  );
}

function inWords(filling: Exclude<Filling, { kind: 'lines' }>, draft: WorkflowContent): string {
  const named = (ref: Ref): string => {
    const lookup = draft.steps.find((step) => step.id === ref.step);
    if (lookup?.kind !== 'lookup') return ref.path;
    const type = lookup.target?.path.at(-1) ?? '';
    return ref.path === '/id' ? `found ${type}` : `${ref.path} of ${type}`;
  };
  switch (filling.kind) {
    case 'choice':
    case 'fixed':
      return `= ${filling.value}`;
    case 'field': {
      const country = filling.tidies.flatMap((tidy) => (tidy.kind === 'phone' && tidy.countryFrom) || []);
      return [filling.ref, ...country].map(named).join(' + ');
    }
    case 'text':
      return filling.parts.flatMap((part) => (part.kind === 'field' ? [named(part.ref)] : [])).join(' + ');
    case 'formula':
      return Object.values(filling.refs).map(named).join(' + ');
    case 'options':
      return named(filling.ref);
  }
}

/** The same sources in any order are the same. */
const tidied = (said: string): string =>
  said
    .split('+')
    .map((part) => part.trim())
    .sort()
    .join(' + ');

/** All pairs together, as shares from 0 to 1. */
export function summed(scores: readonly Score[]): {
  readonly right: number;
  readonly covered: number;
  readonly dear: number;
} {
  const sum = (count: (score: Score) => number): number => scores.reduce((total, one) => total + count(one), 0);
  return {
    right: sum((one) => one.right) / sum((one) => one.proposed),
    covered: sum((one) => one.covered) / sum((one) => one.wanted),
    dear: sum((one) => one.wrongAndDear.length),
  };
}
