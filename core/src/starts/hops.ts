import type { JsonRecord } from '../values/value.ts';
import { isRecord } from '../values/value.ts';

/** How often something may be handed on from workflow to workflow before a person has to look. */
export const mostHops = 10;

/** The header in which the number of workflows that something has gone through is carried; lower case. */
export const hopsHeader = 'golden-hops';

/** Through how many workflows a record has gone that came by itself; 0 for any other. */
export function hopsOf(record: JsonRecord | undefined): number {
  const arrival = record?.['$arrival'];
  const hops = isRecord(arrival) ? Number(arrival['hops'] ?? 0) : 0;
  return Number.isInteger(hops) && hops > 0 ? hops : 0;
}
