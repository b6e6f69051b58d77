import { isRecord, type JsonRecord } from '@golden/core';

/** The headers under which a record of a file is stored: which file, and how that came. */
export const [fileHeader, cameHeader] = ['golden-file', 'golden-came'];

/** What a record of a file says of itself besides, read from its headers. */
export function ofFile(headers: string, place: string | null): JsonRecord {
  if (place === null) return {};
  const { [fileHeader]: file = '', [cameHeader]: came } = JSON.parse(headers) as Record<string, string>;
  return { file, place, ...(came === 'dropped' && { dropped: true }) };
}

/** Whether a person dropped the file that a record stood in, and saw before what it would bring. */
export const isDropped = ({ $arrival }: JsonRecord): boolean => isRecord($arrival) && $arrival['dropped'] === true;
