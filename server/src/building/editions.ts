import {
  type Change,
  describeChanges,
  inPlacesOf,
  type Sentence,
  sentenceText,
  type WorkflowContent,
  type WorkflowFile,
  withBlanks,
  withConnections,
  writeBrief,
} from '@golden/core';
import type { Services } from '../services.ts';
import { standsFor } from './blanks.ts';

/** A newer edition of the ready-made workflow that a copy was made from, beside that copy. */
export interface NewerEdition {
  readonly number: number;
  /** The edition that the copy was made from, or that was looked at last. */
  readonly before: number;
  /** What its maker says is new. */
  readonly note: string | null;
  /** It as it would be here: in the places and with the texts that the copy was given. */
  readonly content: WorkflowContent;
  readonly sentences: { readonly mine: string | null; readonly newer: string | null }[];
  readonly changes: Change[];
}

/** The file of a newer edition than the one that a draft was made from; undefined where there is none. */
function newerFile({ ready }: Pick<Services, 'ready'>, { madeFrom }: WorkflowContent): WorkflowFile | undefined {
  const file = madeFrom && ready.newest(madeFrom.ready);
  return madeFrom && (file?.edition?.number ?? 0) > madeFrom.edition ? file : undefined;
}

/** The number of a newer edition than the one that a draft was made from; undefined where there is none. */
export const newerNumber = (services: Pick<Services, 'ready'>, draft: WorkflowContent): number | undefined =>
  newerFile(services, draft)?.edition?.number;

/** The newer edition beside a draft, with what differs, sentence by sentence. */
export async function newerEdition(services: Services, draft: WorkflowContent): Promise<NewerEdition | undefined> {
  const { madeFrom } = draft;
  const file = newerFile(services, draft);
  if (!madeFrom || !file?.edition) return undefined;
  const here = await services.connections.list();
  const by = file.connections.flatMap((one) => {
    const id = standsFor(one, here);
    return id === undefined ? [] : [[one.id, id] as const];
  });
  const said = withBlanks(file.content, file.blanks ?? [], madeFrom.said ?? {});
  const { number, note } = file.edition;
  const content: WorkflowContent = {
    ...inPlacesOf(withConnections(said, Object.fromEntries(by)), draft),
    name: draft.name,
    madeFrom: { ...madeFrom, edition: number },
  };
  const names = Object.fromEntries(here.map(({ id, name }) => [id, name]));
  return {
    number,
    before: madeFrom.edition,
    note: note ?? null,
    content,
    sentences: sideBySide(writeBrief(draft, names), writeBrief(content, names)),
    changes: describeChanges(draft, content, names, await services.workflows.locale(draft)),
  };
}

/** Two briefs in rows of the same sentence, in the order of the newer; what only the older has stands where it stood. */
function sideBySide(mine: readonly Sentence[], newer: readonly Sentence[]): NewerEdition['sentences'] {
  const rows = newer.map((one) => ({
    id: one.id,
    mine: mine.find(({ id }) => id === one.id),
    newer: one as Sentence | undefined,
  }));
  for (const [at, one] of mine.entries()) {
    if (rows.some(({ id }) => id === one.id)) continue;
    const after = rows.findIndex(({ id }) => id === mine[at - 1]?.id);
    rows.splice(after + 1, 0, { id: one.id, mine: one, newer: undefined });
  }
  return rows.map((row) => ({
    mine: row.mine ? sentenceText(row.mine) : null,
    newer: row.newer ? sentenceText(row.newer) : null,
  }));
}
