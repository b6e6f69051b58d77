import { isRecord, type JsonRecord, readPointer, toText, type Value } from '@golden/core';
import type { BulkResult } from '../connector.ts';
import { Refused, Unsure } from '../errors.ts';
import type { HttpClient } from '../http/client.ts';
import { scimType } from './scim.ts';

// Many records in one call, with a result for each.

const bulkRequest = 'urn:ietf:params:scim:api:messages:2.0:BulkRequest';

/**
 * New resources in one bulk request (RFC 7644 section 3.7). Each operation is done by itself: one that fails keeps none
 * of the others from being done, since no limit of errors is given.
 *
 * @param bodies - what makes each, in the order of the requests
 */
export async function sendScimBulk(
  http: HttpClient,
  title: string,
  path: string,
  bodies: readonly JsonRecord[],
  taken: { readonly says: string; readonly field: string } | undefined,
): Promise<BulkResult[]> {
  const Operations = bodies.map((data, at): JsonRecord => ({ method: 'POST', path, bulkId: `n${at}`, data }));
  const response = await http.write({
    method: 'POST',
    path: '/Bulk',
    json: { schemas: [bulkRequest], Operations },
    headers: { 'content-type': scimType },
  });
  const done = operationsIn(http.jsonData(response));
  return bodies.map((_, at): BulkResult => {
    const one = done.get(`n${at}`);
    if (!one) return new Unsure(`${title} didn’t say what became of this one.`);
    const status = Number(isRecord(one['status'] ?? null) ? (one['status'] as JsonRecord)['code'] : one['status']);
    if (status >= 200 && status < 300) {
      const id = toText(one['location']).split('/').at(-1) ?? '';
      return id === '' ? new Unsure(`${title} didn’t say which one it made.`) : { id: decodeURIComponent(id) };
    }
    const said = (one['response'] ?? {}) as JsonRecord;
    const detail = toText(said['detail']) || `it refused it (${status})`;
    if (status >= 500) return new Unsure(`${title} had a fault (${status}): ${detail}`);
    const isTaken = taken !== undefined && toText(said['scimType']) === taken.says;
    const field = isTaken ? [{ path: taken.field, label: taken.field.slice(1), message: detail }] : [];
    return new Refused(`${title} refused it: ${detail}`, field);
  });
}

function operationsIn(body: JsonRecord): Map<string, JsonRecord> {
  const all = Array.isArray(body['Operations']) ? body['Operations'].filter(isRecord) : [];
  return new Map(all.map((one) => [toText(one['bulkId']), one]));
}

/** How an app of its own kind takes many records in one call. */
export interface ManyCall {
  readonly path: string;
  /** Where the records stand in the body, and where the answer has a result for each, in their order. */
  readonly items: string;
  readonly results: string;
  /** Where a result has the record that was made, and else its reason. */
  readonly record: string;
  readonly reason: string;
}

/**
 * New records in one call of the app's own. The answer has a result for each, in their order.
 *
 * @param headers - with the key of the call, where the app does the same call once
 */
export async function sendMany(
  http: HttpClient,
  title: string,
  call: ManyCall,
  bodies: readonly JsonRecord[],
  idPath: string,
  headers: Readonly<Record<string, string>>,
): Promise<BulkResult[]> {
  const response = await http.write({ method: 'POST', path: call.path, json: { [call.items]: [...bodies] }, headers });
  const results = readPointer(http.jsonData(response), call.results);
  const all: readonly Value[] = Array.isArray(results) ? results : [];
  return bodies.map((_, at): BulkResult => {
    const one = all[at];
    if (!isRecord(one ?? null)) return new Unsure(`${title} didn’t say what became of this one.`);
    const record = readPointer(one as JsonRecord, call.record);
    if (isRecord(record ?? null))
      return { id: toText(readPointer(record as JsonRecord, idPath)), record: record as JsonRecord };
    return new Refused(`${title} refused it: ${toText(readPointer(one as JsonRecord, call.reason))}`, []);
  });
}
