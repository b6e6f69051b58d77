import { type Reading, readRecord } from './reading.ts';

/** One record by its id. */
export const fetchRecord: Reading<'fetch'> = async (asker, { target, id }) => ({
  kind: 'fetched',
  found: await readRecord(asker, target, id),
});
