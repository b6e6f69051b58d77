import { killPoints } from '../seams.ts';
import { makeServices } from '../services.ts';
import { settled } from './checks.ts';
import { TestClock } from './clock.ts';

// A whole engine in a process of its own, which a test stops at a named point and starts again.
// Takes: data file, workflow id, what to do (live, check, resume, retry or back), the point and how
// often it is passed first.

const [, , dataFile = '', workflowId = '', task = 'resume', point = '', passes = '0'] = process.argv;

let left = Number(passes);

const seams = new TestClock();
seams.onReach = (reached) => {
  if (reached !== point) return;
  if (left > 0) left -= 1;
  else process.kill(process.pid, 'SIGKILL');
};

if (point !== '' && !(killPoints as readonly string[]).includes(point))
  throw new Error(`There is no kill point “${point}”.`);

const services = await makeServices({
  dataFile,
  masterKey: 'a master key for tests',
  seams,
  open: { timeout: 30_000, retries: 3 },
  logLevel: 'error',
});
const { engine } = services;
await engine.resume();
if (task === 'live') await engine.finish((await engine.makeLive(workflowId)).run);
if (task === 'check') await engine.finish(await engine.checkNow(workflowId));
// What a person does with each item, one after the other.
for (const { id } of task === 'retry' || task === 'back' ? await itemsOf(workflowId) : []) {
  if (task === 'back') await engine.takeBack(id);
  else await engine.decide(id, { kind: 'retry' }).catch(() => undefined);
}
await settled(services);
await services.close();

function itemsOf(workflow: string) {
  return services.db.selectFrom('item').select('id').where('workflow_id', '=', workflow).orderBy('seq').execute();
}
