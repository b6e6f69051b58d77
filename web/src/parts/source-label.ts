import { comesByItself, type Start } from '@golden/core';
import type { Connection } from '../api/queries.ts';

/** What a start's records are counted as: "in Shop counter", "events came in". */
export function sourceLabel(start: Start, connections: readonly Pick<Connection, 'id' | 'name'>[]): string {
  const { source } = start;
  if (source && comesByItself(start)) return `${source.described.plural} came in`;
  return `in ${connections.find(({ id }) => id === source?.connection)?.name ?? 'the source'}`;
}
