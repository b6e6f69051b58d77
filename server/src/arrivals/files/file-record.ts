import type { JsonRecord } from '@golden/core';

/** One record of a file, and where in it it stands, such as "row 12". */
export interface FileRecord {
  readonly at: string;
  readonly record: JsonRecord;
}
