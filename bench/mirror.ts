import { performance } from 'node:perf_hooks';
import type { IndexField } from '@golden/core';
import { customers, groundIn, watched } from './ground.ts';

// How long the first lookup after a start waits for the index of a large copy: built anew, taken up as it was stored,
// and taken up when one record in fifty has changed since. The last line is JSON.

const [, , folder = '', given = '100000'] = process.argv;
const count = Number(given);

const firsts = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf', 'Zoë', 'Séamus'];
const families = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill', 'Ó Briain', 'Nair', 'Yılmaz', '山田'];
const record = (at: number, mail = `p${at}@studio.example`) => ({
  id: String(at),
  name: `${firsts[at % 10]} ${families[at % 11]}${at % 97}`,
  mail,
  phone: `+44 1632 96${String(at % 10_000).padStart(4, '0')}`,
  street: `${at % 211} Kiln Lane`,
  postcode: `ZZ${at % 99} 7AB`,
});
const fields: IndexField[] = [
  { path: '/name', label: 'Name', kind: 'full_name' },
  { path: '/mail', label: 'E-mail', kind: 'email' },
  { path: '/phone', label: 'Phone', kind: 'phone' },
  { path: '/street', label: 'Street', kind: 'street' },
  { path: '/postcode', label: 'Postcode', kind: 'postcode' },
];
const probe = ['Ada Holm7', 'p77@studio.example', '', '7 Kiln Lane', ''];

const ground = await groundIn(folder);
const place = { connection: ground.to, path: customers };
const of = { account: ground.services.connections.accountOf(ground.to), place: JSON.stringify(customers) };

/** Records into the copy, as a listing puts them there. */
async function copy(records: readonly { readonly id: string }[], changed: number): Promise<void> {
  const { db } = ground.services;
  for (let from = 0; from < records.length; from += 500)
    await db
      .insertInto('mirror')
      .values(
        records
          .slice(from, from + 500)
          .map((one) => ({ ...of, id: one.id, content: JSON.stringify(one), round: 1, changed })),
      )
      .onConflict((conflict) =>
        conflict
          .columns(['account', 'place', 'id'])
          .doUpdateSet((eb) => ({ content: eb.ref('excluded.content'), changed: eb.ref('excluded.changed') })),
      )
      .execute();
  const state = { since: null, round: 1, listed_at: null, changes: changed };
  await db
    .insertInto('mirror_state')
    .values({ ...of, ...state })
    .onConflict((conflict) => conflict.columns(['account', 'place']).doUpdateSet(state))
    .execute();
}

/** Opens the index and looks somebody up, until it is answered. */
const lookedUp = () =>
  watched(async () => {
    const { mirrors } = ground.services;
    const name = await mirrors.index(place, fields, undefined);
    const way = { paths: fields.map(({ path }) => path), isExact: false, most: 12 };
    return mirrors.worker.host.ways(name, undefined, probe, [way]);
  });

async function startedAnew(): Promise<void> {
  await ground.services.mirrors.stored();
  await ground.services.close();
  ground.services = await ground.open();
  // The thread starts with the server, before anybody asks.
  await ground.services.mirrors.worker.host.exact('none', [], []).catch(() => undefined);
}

await copy(
  Array.from({ length: count }, (_, at) => record(at)),
  1,
);
await startedAnew();
const built = await lookedUp();
const from = performance.now();
await ground.services.mirrors.stored();
const storing = (performance.now() - from) / 1000;
await startedAnew();
const takenUp = await lookedUp();
await copy(
  Array.from({ length: count / 50 }, (_, at) => record(at * 50, `new${at}@studio.example`)),
  2,
);
await startedAnew();
const withChanges = await lookedUp();
await ground.services.close();
const same = JSON.stringify(built.result) === JSON.stringify(takenUp.result);
const { seconds, longestMs } = takenUp;
console.log(
  JSON.stringify({
    count,
    found: built.result[0]?.length,
    same,
    built: built.seconds,
    storing,
    takenUp: seconds,
    longestMs,
    withChanges: withChanges.seconds,
  }),
);
process.exit(0);
