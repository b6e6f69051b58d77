import { conceptOf } from '../mapping/concepts.ts';
import { profileFields } from '../mapping/profile.ts';
import { foldCase } from '../values/text.ts';
import type { JsonRecord } from '../values/value.ts';
import type { Start, WorkflowContent } from './schema.ts';

/** What may happen to a record later that a workflow doesn't carry on. */
export type Uncovered =
  | { readonly kind: 'removed' }
  | { readonly kind: 'changed' }
  /** A field comes to a value that takes back what was written: an order is cancelled. */
  | { readonly kind: 'becomes'; readonly path: string; readonly label: string; readonly value: string };

/** Values of a status that take back what came before (common practice), in the languages of our users. */
const takesBack =
  /^(cancel(l?ed)?|void(ed)?|refunded|returned|reversed|withdrawn|rejected|storniert|widerrufen|erstattet|annul(é|ée|e|ed)|rembours(é|ée)|anulad[oa]|cancelad[oa]|reembolsad[oa]|annullat[oa]|rimborsat[oa]|geannuleerd|terugbetaald|anulowan[ey]|zwrócon[ey]|makulerad|återbetald|annulleret|refunderet)$/;

/**
 * What a workflow that is to go live doesn't cover of its records' later lives: removed, changed, taken back.
 * What its start looks at itself is covered.
 *
 * @param records - some records of the source, for the values that occur
 */
export function notCovered(
  { start, steps }: Pick<WorkflowContent, 'start' | 'steps'>,
  records: readonly JsonRecord[],
): Uncovered[] {
  const { source, on } = start;
  if (!source || !steps.some((step) => step.kind === 'write' && !step.isOff)) return [];
  const found: Uncovered[] = [];
  if (source.described.can.list && on !== 'removed') found.push({ kind: 'removed' });
  if (on === 'added' && source.described.updated !== undefined) found.push({ kind: 'changed' });
  for (const { field, frequent } of profileFields(records, source.described.fields)) {
    if (conceptOf(field.label) !== 'status') continue;
    const values = new Set([...(field.options ?? []), ...frequent].map(({ value }) => value));
    for (const value of values)
      if (takesBack.test(foldCase(value.trim())) && !isLookedFor(start, field.path, value))
        found.push({ kind: 'becomes', path: field.path, label: field.label, value });
  }
  return found;
}

const isLookedFor = ({ on, becomes }: Start, path: string, value: string): boolean =>
  on === 'becomes' && becomes?.path === path && foldCase(String(becomes.value)) === foldCase(value);
