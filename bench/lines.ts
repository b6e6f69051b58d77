import { performance } from 'node:perf_hooks';
import { draftOfEvents, startId, type WorkflowContent } from '@golden/core';
import { beginningOf } from '../server/src/arrivals/beginnings.ts';
import { customers, filledFrom, groundIn } from './ground.ts';

// A record with many lines, each of which is a new customer in the practice Ledger: what a line costs us when there are
// 125 and when there are 1,000 of them. The last line is JSON.

const [, , folder = '', few = '125', many = '1000'] = process.argv;

const ground = await groundIn(folder);
const { services, books } = ground;
const { start } = await beginningOf(services, { kind: 'posted', name: 'Lists' });
const { source } = start;
if (!source) throw new Error('no source');
const inbox = source.path[0] ?? '';
const rows = (name: string, count: number) =>
  Array.from({ length: count }, (_, no) => ({ mail: `${name}${no}@clay.example`, called: `Ada ${no}` }));
await services.arrivals.storeRecord(inbox, 'shape', { rows: rows('shape', 1) });
const content: WorkflowContent = {
  ...draftOfEvents(await ground.place(source.connection, source.path), 'Lines'),
  steps: [
    { id: 'each', kind: 'each', over: { step: startId, path: '/rows' } },
    {
      id: 'write',
      kind: 'write',
      within: 'each',
      target: await ground.place(ground.to, customers),
      mode: 'create_or_update',
      key: '/electronicMail',
      mapping: { '/name': filledFrom('each', '/called'), '/electronicMail': filledFrom('each', '/mail') },
    },
  ],
};
const { id } = await services.workflows.add(content);
await services.engine.finish((await services.engine.makeLive(id)).run);

/** All lines of one record: seconds of processor time, and megabytes written to the disk. */
async function measured(name: string, count: number): Promise<{ cpu: number; mb: number; seconds: number }> {
  const before = there();
  const [cpu, written, started] = [process.cpuUsage(), process.resourceUsage().fsWrite, performance.now()];
  await services.arrivals.storeRecord(inbox, name, { rows: rows(name, count) });
  await services.engine.quiet();
  const used = process.cpuUsage(cpu);
  if (there() - before !== count) throw new Error(`${there() - before} of ${count} were made.`);
  return {
    cpu: (used.user + used.system) / 1_000_000,
    // Blocks of 512 bytes.
    mb: ((process.resourceUsage().fsWrite - written) * 512) / 1024 / 1024,
    seconds: (performance.now() - started) / 1000,
  };
}
const there = (): number => books.customers.list({ company: 'retail' }, { limit: 100_000 }).length;

await measured('warm', Number(few));
const some = await measured('some', Number(few));
const all = await measured('all', Number(many));
await services.close();
console.log(JSON.stringify({ few: Number(few), many: Number(many), some, all }));
process.exit(0);
