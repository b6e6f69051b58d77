import { tableFile } from '@golden/connectors';
import {
  harmless,
  type ItemState,
  type ItemStateName,
  isPlaced,
  type Mark,
  type PlannedChange,
  plannedIn,
  stepById,
  toText,
  type WorkflowContent,
} from '@golden/core';
import { sql } from 'kysely';
import Papa from 'papaparse';
import { likeAnywhere } from '../../db/like.ts';
import type { Db } from '../../db/open.ts';
import type { RehearsalItemTable } from '../../db/schema.ts';

interface Sought {
  readonly state?: ItemStateName | undefined;
  readonly mark?: Mark | undefined;
  readonly search?: string | undefined;
}

/** Rehearsed records in their order, as far as they are looked for. */
export function rehearsedRows(db: Db, workflowId: string, { state, mark, search }: Sought) {
  let rows = db.selectFrom('rehearsal_item').selectAll().where('workflow_id', '=', workflowId).orderBy('at');
  if (state) rows = rows.where('state', '=', state);
  if (mark) rows = rows.where('marks', 'like', `% ${mark} %`);
  for (const word of (search ?? '').split(/\s+/).filter(Boolean)) {
    const pattern = likeAnywhere(word);
    // In a value of the record, or of what its steps made; never in the names of fields.
    rows = rows.where(
      sql<boolean>`(title LIKE ${pattern} ESCAPE '\\' OR EXISTS (
        SELECT 1 FROM json_tree(item_state, '$.values') WHERE atom LIKE ${pattern} ESCAPE '\\'))`,
    );
  }
  return rows;
}

/** What one rehearsed record would change. */
export function changesOfRow(row: RehearsalItemTable, content: WorkflowContent) {
  const changes = plannedIn(content, JSON.parse(row.item_state) as ItemState);
  return changes.map((change) => ({ record: row.source_id, title: row.title, ...change }));
}

const words: Record<PlannedChange['what'], string> = {
  new: 'new',
  changed: 'changed',
  emptied: 'emptied',
  asked: 'asked',
  kept: 'left as it is',
  removed: 'removed',
};

/** All that a rehearsal would change as a file, a row a field. */
export async function changesFile(
  db: Db,
  workflowId: string,
  content: WorkflowContent,
  format: 'csv' | 'xlsx',
): Promise<{ name: string; base64: string }> {
  const head = ['record', 'name', 'place', 'what', 'field', 'before', 'after'];
  const rows: string[][] = [];
  for (const row of await rehearsedRows(db, workflowId, {}).execute())
    for (const { record, title, step, what, field, before, after } of changesOfRow(row, content)) {
      const target = stepById(content, step);
      const place = target && isPlaced(target) ? (target.target?.labels.join(' → ') ?? '') : '';
      rows.push([record, title, place, words[what], field, toText(before), toText(after)]);
    }
  const name = `${content.name} · what would change.${format}`;
  if (format === 'xlsx')
    return { name, base64: Buffer.from(await tableFile('Changes', head, rows)).toString('base64') };
  const text = Papa.unparse({ fields: head, data: rows.map((row) => row.map(harmless)) }, { newline: '\r\n' });
  return { name, base64: Buffer.from(`\ufeff${text}\r\n`).toString('base64') };
}
