import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import { emptyContent, type WorkflowContent } from '@golden/core';
import { customers, filledFrom, groundIn, newRows } from './ground.ts';

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
const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};
const { id } = await services.workflows.add(content);
let run = '';
const ran = await seconds(async () => {
  ({ run } = await services.engine.makeLive(id));
  await services.engine.finish(run);
});
const there = () => books.customers.list({ company: 'retail' }, { limit: 100_000 }).length;
if (there() !== count) throw new Error(`${there()} of ${count} were made.`);
const delay = monitorEventLoopDelay({ resolution: 1 });
delay.enable();
let undo = '';
const looked = await seconds(async () => {
  undo = await services.undos.look(run);
  await services.undos.wait(undo);
});
const undone = await seconds(async () => {
  await services.undos.carryOut(undo, { used: false, sent: false });
  await services.undos.wait(undo);
});
delay.disable();
if (there() !== 0) throw new Error(`${there()} are left.`);
await services.close();
console.log(JSON.stringify({ seconds: undone, looked, ran, longestMs: delay.max / 1e6 }));
process.exit(0);
