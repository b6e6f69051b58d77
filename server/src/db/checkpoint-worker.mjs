import { parentPort, workerData } from 'node:worker_threads';
import SQLite from 'better-sqlite3';

// Takes what stands in the log of the data file over into the file, beside whoever writes: PASSIVE waits for nobody and
// keeps nobody waiting. A log begins anew only where all of it was taken over when somebody writes: where it has grown
// long beside one who writes all the time, commits are asked to hold still until it has been.

const { file, every, long } = workerData;
const sqlite = new SQLite(file);
let isAsked = false;
const takeOver = () => sqlite.pragma('wal_checkpoint(PASSIVE)')[0].log;
const timer = setInterval(() => {
  if (takeOver() < long || isAsked) return;
  isAsked = true;
  parentPort.postMessage('hold');
}, every);

parentPort.on('message', (said) => {
  if (said === 'holding') {
    takeOver();
    isAsked = false;
    parentPort.postMessage('go on');
    return;
  }
  clearInterval(timer);
  sqlite.close();
  parentPort.close();
});
