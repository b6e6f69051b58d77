import { isRecord, type JsonRecord, type Value } from '@golden/core';
import { NotPossible } from '../../engine/errors.ts';
import type { FileRecord } from './file-record.ts';

/**
 * The records of a JSON text (RFC 8259): those of a list, of the one list within an object, or the object itself;
 * of JSON Lines one in each line that isn't empty.
 *
 * @throws NotPossible where it is cut off, or what stands in it are no records
 */
export function readJsonList(name: string, text: string, isLines: boolean): FileRecord[] {
  if (isLines)
    return text
      .split(/\r?\n/)
      .map((line, at): FileRecord | undefined =>
        line.trim() === ''
          ? undefined
          : { at: `line ${at + 1}`, record: recordIn(name, parsed(name, line, at + 1), `line ${at + 1}`) },
      )
      .filter((one) => one !== undefined);
  return listIn(name, parsed(name, text)).map((value, at) => ({
    at: `entry ${at + 1}`,
    record: recordIn(name, value, `entry ${at + 1}`),
  }));
}

function parsed(name: string, text: string, line?: number): Value {
  try {
    return JSON.parse(text.replace(/^\ufeff/, '')) as Value;
  } catch (error) {
    const where = line === undefined ? '' : `, in line ${line}`;
    throw new NotPossible(
      `“${name}” is no whole JSON${where}: it may have been cut off. (${(error as Error).message})`,
    );
  }
}

function listIn(name: string, value: Value): readonly Value[] {
  if (Array.isArray(value)) return value;
  if (!isRecord(value)) throw new NotPossible(`“${name}” holds a single value, and no records.`);
  const lists = Object.entries(value).filter((one): one is [string, Value[]] => Array.isArray(one[1]));
  const ofRecords = lists.filter(([, list]) => list.length > 0 && list.every((one) => isRecord(one)));
  // An order with its lines is one record; a wrapping around a list says little else.
  const isWrapping = ofRecords.length === 1 && Object.keys(value).length <= 5 && value['id'] === undefined;
  return isWrapping && ofRecords[0] ? ofRecords[0][1] : [value];
}

function recordIn(name: string, value: Value, at: string): JsonRecord {
  if (isRecord(value)) return value;
  throw new NotPossible(`“${name}” has in ${at} no record with named fields.`);
}
