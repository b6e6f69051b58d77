import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import {
  emptyContent,
  type Field,
  indexWords,
  type JsonRecord,
  type Place,
  proposeReconcile,
  searchWords,
  type WorkflowContent,
} from '@golden/core';
import { sql } from 'kysely';
import { openDb } from '../server/src/db/open.ts';
import { ReconcileHost } from '../server/src/reconcile/reconcile-host.ts';

// Measurements of "did everything arrive": two places compared, and a record found among many; each in a process of
// its own. The last line is JSON.

const [, , folder = '', task = '', given = '100000'] = process.argv;
const count = Number(given);

const field = (path: string, label: string, type: Field['type'] = 'text'): Field => ({ path, label, type });
const customersOf = (connection: string): Place => ({
  connection,
  path: ['customers'],
  labels: ['Customers'],
  described: {
    name: 'customers',
    singular: 'customer',
    plural: 'customers',
    can: { list: true, find: true, create: true, update: true, readBack: true },
    fields: [
      { ...field('/id', 'id', 'id'), readOnly: true },
      field('/name', 'name'),
      field('/email', 'e-mail', 'email'),
      field('/phone', 'phone', 'phone'),
      field('/street', 'street'),
      field('/postcode', 'postcode'),
      field('/country', 'country', 'country'),
      field('/since', 'since', 'date'),
    ],
  },
});

const given1 = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf', 'Zoë', 'Séamus'];
const family = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill', 'Ó Briain', 'Nair', 'Yılmaz', '山田'];
const person = (at: number): JsonRecord => ({
  id: String(at),
  name: `${given1[at % 10]} ${family[at % 11]} ${at % 977}`,
  email: `person${at}@studio.example`,
  phone: `01632 960 ${String(at % 1000).padStart(3, '0')}`,
  street: `${at % 211} Kiln Lane`,
  postcode: `ZZ${at % 9} ${at % 7}AB`,
  country: 'GB',
  since: '2026-03-04',
});

function mapped(): WorkflowContent {
  const paths = ['/name', '/email', '/phone', '/street', '/postcode', '/country', '/since'];
  return {
    ...emptyContent('Bench'),
    start: { ...emptyContent('Bench').start, source: customersOf('here') },
    steps: [
      {
        id: 'write',
        kind: 'write',
        target: customersOf('there'),
        mode: 'create_or_update',
        key: '/email',
        mapping: Object.fromEntries(
          paths.map((path) => [
            path,
            { kind: 'field', ref: { step: 'start', path }, tidies: path === '/phone' ? [{ kind: 'phone' }] : [] },
          ]),
        ),
      },
    ],
  };
}

/** So many against as many from copies: two hundred missing, thirty altered, five doubled. */
function reconcile() {
  const setting = proposeReconcile(mapped(), 'write');
  const host = new ReconcileHost();
  const before = process.memoryUsage().rss;
  const chunk = 500;
  const made: string[] = Array.from({ length: count }, (_, at) => JSON.stringify(person(at)));
  const filled = process.memoryUsage().rss;
  const started = performance.now();
  host.begin(setting, { locale: { country: 'GB', zone: 'Europe/London' } }, '2026-11-30T09:00:00Z');
  for (let from = 0; from < count; from += chunk) {
    const some = made.slice(from, from + chunk).map((content, at) => [String(from + at), content] as const);
    host.put('left', some);
    const there = some.flatMap(([id, content], at) => {
      const number = from + at;
      if (number < 200) return [];
      if (number < 230) return [[id, content.replace('Kiln Lane', 'Clay Lane')] as const];
      return number < 235 ? [[id, content] as const, [`copy ${id}`, content] as const] : [[id, content] as const];
    });
    host.put('right', there);
  }
  const { figures } = host.finish([]);
  const rows = [...host.differences(0, 500, {}), ...host.others(0, 500)];
  const seconds = (performance.now() - started) / 1000;
  const { agree, differ, onlyLeft, onlyRight, doubled } = figures;
  return {
    seconds,
    cpuMs: process.cpuUsage().user / 1000,
    peakMb: process.resourceUsage().maxRSS / 1024,
    heldMb: (process.memoryUsage().rss - filled) / 1024 / 1024,
    givenMb: (filled - before) / 1024 / 1024,
    rows: rows.length,
    agree,
    differ,
    onlyLeft,
    onlyRight,
    doubled,
  };
}

/** A record among so many items, found by what people type. */
async function find() {
  const { db } = await openDb(join(folder, 'bench.sqlite'));
  const began = performance.now();
  for (let from = 0; from < count; from += 2000)
    await db.transaction().execute(async (trx) => {
      for (let at = from; at < Math.min(count, from + 2000); at++) {
        const words = indexWords([person(at)], [String(at)], 'GB').join(' ');
        await sql`INSERT INTO record_words (rowid, words) VALUES (${at + 1}, ${words})`.execute(trx);
      }
    });
  const madeSeconds = (performance.now() - began) / 1000;
  const queries = [
    'person4711',
    'person99',
    '960 653',
    '0653',
    'zoe briain',
    'ada holm 12',
    '山田',
    'mira',
    'kiln lane',
    'studio.example',
  ];
  const times: number[] = [];
  for (const text of [...queries, ...queries, ...queries]) {
    const query = searchWords(text, 'GB')
      .map((word) => `"${word.text}"${word.isWhole ? '' : ' *'}`)
      .join(' AND ');
    const started = performance.now();
    await sql`SELECT rowid FROM record_words WHERE record_words MATCH ${query} ORDER BY rowid DESC LIMIT 400`.execute(
      db,
    );
    times.push(performance.now() - started);
  }
  times.sort((a, b) => a - b);
  await db.destroy();
  return {
    seconds: madeSeconds,
    cpuMs: process.cpuUsage().user / 1000,
    peakMb: process.resourceUsage().maxRSS / 1024,
    middleMs: times[Math.floor(times.length / 2)] ?? 0,
    slowestMs: times.at(-1) ?? 0,
  };
}

console.log(JSON.stringify(task === 'find' ? await find() : reconcile()));
