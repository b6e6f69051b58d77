import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, proposeReconcile, type WorkflowContent } from '@golden/core';
import { filledFrom, groundIn, watched } from './ground.ts';

// For how long the server answers nobody while it works on many records: a search for duplicates in a list, and two
// lists reconciled. The last line is JSON.

const [, , folder = '', given = '100000'] = process.argv;
const count = Number(given);

const firsts = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf', 'Zoë', 'Séamus'];
const families = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill', 'Ó Briain', 'Nair', 'Yılmaz', '山田'];
const names = ['No', 'First', 'Last', 'E-mail', 'Phone', 'Street', 'Postcode'];
/** One in fifty comes twice, with a slip in the name. */
const line = (at: number): string => {
  const who = at % 50 === 49 ? at - 1 : at;
  const last = `${families[who % 11]}${at === who ? '' : 'e'} ${who % 9973}`;
  const phone = `01632 ${String(960000 + (who % 9000))}`;
  return [
    `N ${at}`,
    firsts[who % 10],
    last,
    `p${who}@studio.example`,
    phone,
    `${who % 211} Kiln Lane`,
    `ZZ${who % 99} 7AB`,
  ].join(',');
};
const listOf = (wanted: (at: number) => boolean): string =>
  [
    names.join(','),
    ...Array.from({ length: count }, (_, at) => at)
      .filter(wanted)
      .map(line),
  ].join('\r\n');

writeFileSync(
  join(folder, 'here.csv'),
  listOf(() => true),
);
writeFileSync(
  join(folder, 'there.csv'),
  listOf((at) => at % 500 !== 0),
);

const ground = await groundIn(folder);
const { services } = ground;
services.checkpoints.start();
const here = await ground.place(ground.from, ['here.csv', 'here']);
const there = await ground.place(ground.from, ['there.csv', 'there']);
const content: WorkflowContent = {
  ...emptyContent('Bench'),
  start: { ...emptyContent('Bench').start, source: here, identity: '/No' },
  steps: [
    {
      id: 'write',
      kind: 'write',
      target: there,
      mode: 'create_or_update',
      key: '/No',
      mapping: Object.fromEntries(names.map((name) => [`/${name}`, filledFrom('start', `/${name}`)])),
    },
  ],
};

const search = await watched(async () => {
  const place = { connection: ground.from, path: here.path };
  await services.duplicates.wait(await services.duplicates.begin({ kind: 'place', place, labels: here.labels }));
});
const { groups } = await services.db
  .selectFrom('duplicate_group')
  .select((eb) => eb.fn.countAll<number>().as('groups'))
  .executeTakeFirstOrThrow();
const reconcile = await watched(async () => {
  const id = await services.reconciles.add('Bench', proposeReconcile(content, 'write'));
  await services.reconciles.look(id);
  await services.reconciles.wait(id);
});
const [looked] = await services.db.selectFrom('reconcile').select(['figures', 'message', 'state']).execute();
await services.close();
console.log(JSON.stringify({ count, groups, search, reconcile, looked }));
process.exit(0);
