import { parentPort, workerData } from 'node:worker_threads';
import SQLite from 'better-sqlite3';

// Takes what stands in the log of the data file over into the file, beside whoever writes: PASSIVE waits for nobody and
// keeps nobody waiting.

const { file, every } = workerData;
const sqlite = new SQLite(file);
const timer = setInterval(() => sqlite.pragma('wal_checkpoint(PASSIVE)'), every);

parentPort.once('message', () => {
  clearInterval(timer);
  sqlite.close();
  parentPort.close();
});
