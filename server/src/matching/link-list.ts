import { setImmediate } from 'node:timers/promises';
import { recordTitle } from '@golden/core';
import type { Selectable, SelectQueryBuilder } from 'kysely';
import Papa from 'papaparse';
import type { LinkTable, Tables } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import type { RecordKey } from '../records/identities.ts';
import type { Services } from '../services.ts';
import { saveLink } from './links.ts';
import type { PlaceKey } from './mirrors.ts';

const mostListed = 300;
/** Links that are looked through at once. */
const lookedThroughAtOnce = 200;

/** A link as people see it. */
interface ListedLink {
  readonly id: string;
  readonly from: { connection: string; place: string[]; id: string };
  readonly to: { connection: string; place: string[]; id: string };
  readonly title: string | null;
  readonly fromUrl: string | null;
  readonly toUrl: string | null;
  readonly origin: LinkTable['origin'];
  readonly probability: number | null;
  readonly madeAt: string;
}

/** Links whose ids, or whose record's name, hold a text; the newest first. Those that are shown are read, and all counted. */
export async function listLinks(services: Services, search: string, workflow: string | undefined) {
  const { db, connections } = services;
  const wanted = search.trim().toLowerCase();
  if (wanted !== '') return searchLinks(services, wanted, workflow);
  const { total } = await ofWorkflow(db.selectFrom('link'), workflow)
    .select((eb) => eb.fn.countAll<number>().as('total'))
    .executeTakeFirstOrThrow();
  const rows = await ofWorkflow(db.selectFrom('link').selectAll(), workflow)
    .orderBy('made_at', 'desc')
    .orderBy('id')
    .limit(mostListed)
    .execute();
  const links: ListedLink[] = [];
  for (const row of rows) links.push(await viewLink(connections, row, await titleOf(services, row)));
  return { total, links };
}

/** The same of those that hold a text: all are looked through, some at a time. */
async function searchLinks(services: Services, wanted: string, workflow: string | undefined) {
  const links: ListedLink[] = [];
  let total = 0;
  for (let after: Pick<LinkTable, 'made_at' | 'id'> | undefined; ; ) {
    let page = ofWorkflow(services.db.selectFrom('link').selectAll(), workflow)
      .orderBy('made_at', 'desc')
      .orderBy('id');
    if (after) {
      const { made_at, id } = after;
      page = page
        .where('made_at', '<=', made_at)
        .where((eb) => eb.or([eb('made_at', '<', made_at), eb('id', '>', id)]));
    }
    const rows = await page.limit(lookedThroughAtOnce).execute();
    for (const row of rows) {
      const title = await titleOf(services, row);
      if (![row.from_id, row.to_id, title ?? ''].some((text) => text.toLowerCase().includes(wanted))) continue;
      total += 1;
      if (links.length < mostListed) links.push(await viewLink(services.connections, row, title));
    }
    after = rows.at(-1);
    if (!after) return { total, links };
    await setImmediate();
  }
}

const ofWorkflow = <O>(
  rows: SelectQueryBuilder<Tables, 'link', O>,
  workflow: string | undefined,
): SelectQueryBuilder<Tables, 'link', O> => (workflow ? rows.where('workflow_id', '=', workflow) : rows);

/** What the record that a link leads to is called, as far as its place has a copy. */
async function titleOf({ mirrors }: Services, row: Selectable<LinkTable>): Promise<string | null> {
  const place = { account: row.to_account, path: JSON.parse(row.to_place) as string[] };
  const record = await mirrors.get(place, row.to_id);
  return record ? recordTitle(record) : null;
}

/** The links between records that are one and the same, the newest first. */
export async function linksAmong(
  { db, mirrors, connections }: Pick<Services, 'db' | 'mirrors' | 'connections'>,
  identities: readonly RecordKey[],
): Promise<ListedLink[]> {
  const links: ListedLink[] = [];
  for (const { account, place, id } of identities) {
    const rows = await db
      .selectFrom('link')
      .selectAll()
      .where('from_account', '=', account)
      .where('from_place', '=', place)
      .where('from_id', '=', id)
      .orderBy('made_at', 'desc')
      .limit(mostListed)
      .execute();
    for (const row of rows) {
      const path = JSON.parse(row.to_place) as string[];
      const record = await mirrors.get({ account: row.to_account, path }, row.to_id);
      links.push(await viewLink(connections, row, record ? recordTitle(record) : null));
    }
  }
  return links;
}

/** A link with the pages of both its records; those of an account that no connection leads to any more have none. */
async function viewLink(
  connections: Services['connections'],
  row: Selectable<LinkTable>,
  title: string | null,
): Promise<ListedLink> {
  const [fromBy, toBy] = [connections.leadingTo(row.from_account), connections.leadingTo(row.to_account)];
  const from = fromBy ? await connections.connector(fromBy).catch(() => undefined) : undefined;
  const to = toBy ? await connections.connector(toBy).catch(() => undefined) : undefined;
  const [fromPlace, toPlace] = [JSON.parse(row.from_place) as string[], JSON.parse(row.to_place) as string[]];
  const urlOf = (connector: typeof from, path: readonly string[], id: string): string | null => {
    try {
      return connector?.linkTo(path, id) ?? null;
    } catch {
      // A record type that is no place of its own has no page.
      return null;
    }
  };
  return {
    id: row.id,
    from: { connection: fromBy ?? '', place: fromPlace, id: row.from_id },
    to: { connection: toBy ?? '', place: toPlace, id: row.to_id },
    title,
    fromUrl: urlOf(from, fromPlace, row.from_id),
    toUrl: urlOf(to, toPlace, row.to_id),
    origin: row.origin,
    probability: row.probability,
    madeAt: row.made_at,
  };
}

/**
 * Takes pairs of ids over, a line each, from a CSV of two columns with or without a header. Lines
 * whose record isn't there are left and told, the others are taken.
 */
export async function importLinks(
  { db, seams, connections, mirrors }: Services,
  from: PlaceKey,
  to: PlaceKey,
  text: string,
) {
  const parsed = Papa.parse<string[]>(text.replace(/^\ufeff/, '').trim(), { skipEmptyLines: 'greedy' });
  if (parsed.data.every((row) => row.length < 2))
    throw new NotPossible('Each line needs two ids: the one here, and the one there.');
  const connector = await connections.connector(to.connection);
  const described = await connector.describe(to.path);
  if (described.can.list) await mirrors.sync(to);
  const left: string[] = [];
  let taken = 0;
  for (const [at, row] of parsed.data.entries()) {
    const [one = '', other = ''] = row.map((cell) => cell.trim());
    const isThere =
      other !== '' &&
      ((await mirrors.get(to, other)) !== undefined || (await connector.fetch(to.path, other)) !== null);
    if (one === '' || !isThere) {
      // A first line of names is no pair.
      if (at > 0 || /^[\d-]+$/.test(other))
        left.push(`Line ${at + 1}: there is no record with the id “${other}” there.`);
      continue;
    }
    await saveLink(
      db,
      seams,
      { account: connections.accountOf(from.connection), place: from.path, id: one },
      { account: connections.accountOf(to.connection), path: to.path, id: other },
      { origin: 'imported' },
    );
    taken += 1;
  }
  return { taken, left: left.slice(0, 200) };
}
