import { parentPort, workerData } from 'node:worker_threads';
import SQLite from 'better-sqlite3';

// Takes what stands in the log of the data file over into the file, beside whoever writes: PASSIVE waits for nobody and
// keeps nobody waiting. A log begins anew only where all of it was taken over when somebody writes: where it has grown
// long beside one who writes all the time, it is asked that commits hold still. And it carries out what can't be done in
// small pieces while they do.

const { file, every, long } = workerData;
const sqlite = new SQLite(file);
// Each commit is on the disk before it returns, and what is taken out is overwritten.
sqlite.pragma('synchronous = FULL');
sqlite.pragma('secure_delete = ON');
let isAsked = false;
const takeOver = () => sqlite.pragma('wal_checkpoint(PASSIVE)')[0].log;
const changes = () => sqlite.prepare('SELECT total_changes() AS n').pluck().get();

const timer = setInterval(() => {
  if (takeOver() < long || isAsked) return;
  isAsked = true;
  parentPort.postMessage({ isLong: true });
}, every);

parentPort.on('message', ({ call, statement, isEnd }) => {
  if (isEnd) {
    clearInterval(timer);
    sqlite.close();
    parentPort.close();
    return;
  }
  try {
    const before = changes();
    if (statement) sqlite.exec(statement);
    else {
      takeOver();
      isAsked = false;
    }
    parentPort.postMessage({ call, changed: changes() - before });
  } catch (error) {
    parentPort.postMessage({ call, error: error instanceof Error ? error.message : String(error) });
  }
});
