import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, type WorkflowContent } from '@golden/core';
import { customers, filledFrom, groundIn, newRows, watched } from './ground.ts';

// A run of new customers in the practice Ledger, undone as a whole: how long the look and the undoing take beside the
// run itself, and for how long the server can't answer meanwhile. The last line is JSON.

const [, , folder = '', given = '1000'] = process.argv;
const count = Number(given);

const lines = Array.from({ length: count }, (_, no) => `N ${no},Ada ${no},ada${no}@clay.example`);
writeFileSync(join(folder, 'new.csv'), `No,Name,E-mail\r\n${lines.join('\r\n')}\r\n`);
const ground = await groundIn(folder);
const { services, books } = ground;
const content: WorkflowContent = {
  ...emptyContent('Bench'),
  start: await newRows(ground),
  steps: [
    {
      id: 'write',
      kind: 'write',
      target: await ground.place(ground.to, customers),
      mode: 'append',
      mapping: { '/name': filledFrom('start', '/Name'), '/electronicMail': filledFrom('start', '/E-mail') },
    },
  ],
};
const { id } = await services.workflows.add(content);
let run = '';
const ran = await watched(async () => {
  ({ run } = await services.engine.makeLive(id));
  await services.engine.finish(run);
});
const there = () => books.customers.list({ company: 'retail' }, { limit: 100_000 }).length;
if (there() !== count) throw new Error(`${there()} of ${count} were made.`);
let undo = '';
const looked = await watched(async () => {
  undo = await services.undos.look(run);
  await services.undos.wait(undo);
});
const undone = await watched(async () => {
  await services.undos.carryOut(undo, { used: false, sent: false });
  await services.undos.wait(undo);
});
if (there() !== 0) throw new Error(`${there()} are left.`);
await services.close();
const longestMs = Math.max(looked.longestMs, undone.longestMs);
console.log(JSON.stringify({ seconds: undone.seconds, looked: looked.seconds, ran: ran.seconds, longestMs }));
process.exit(0);
