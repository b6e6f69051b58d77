import { killPoints, realSeams, type Seams } from '../seams.ts';
import { makeServices } from '../services.ts';

// A whole engine in a process of its own, which a test stops at a named point and starts again.
// Takes: data file, workflow id, what to do (live, check or resume), the point and how often it is passed first.

const [, , dataFile = '', workflowId = '', task = 'resume', point = '', passes = '0'] = process.argv;

let left = Number(passes);

const seams: Seams = {
  ...realSeams,
  pause: (milliseconds) => realSeams.pause(Math.min(milliseconds, 50)),
  reach(reached) {
    if (reached !== point) return;
    if (left > 0) left -= 1;
    else process.kill(process.pid, 'SIGKILL');
  },
};

if (point !== '' && !(killPoints as readonly string[]).includes(point))
  throw new Error(`There is no kill point “${point}”.`);

const services = await makeServices({
  dataFile,
  masterKey: 'a master key for tests',
  seams,
  open: { timeout: 2500, retries: 3 },
  logLevel: 'error',
});
await services.engine.resume();
if (task === 'live') await services.engine.finish((await services.engine.makeLive(workflowId)).run);
if (task === 'check') await services.engine.finish(await services.engine.checkNow(workflowId));
await services.close();
