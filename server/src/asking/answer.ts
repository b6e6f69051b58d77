import {
  type AskVerdict,
  checkChanges,
  type JsonRecord,
  readAnswers,
  stepById,
  type Value,
  type WokenBy,
  type WorkflowVersion,
} from '@golden/core';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { wakeTold } from '../engine/wake-told.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import type { Workflows } from '../workflows.ts';
import { type KeptAnswer, lastAnswer, type OpenAsk, openAsks } from './asks.ts';

/** What somebody answers to one thing that they were asked. */
export interface GivenAnswer {
  readonly itemId: string;
  /** What they saw. */
  readonly print: string;
  readonly says:
    | { readonly kind: 'yes'; readonly changes: Readonly<Record<string, Value>> }
    | { readonly kind: 'no'; readonly reason: string }
    | { readonly kind: 'answers'; readonly answers: Readonly<Record<string, Value>> };
}

/** What became of an answer. */
export type Answered =
  | { readonly state: 'taken' }
  /** Somebody else was first. */
  | { readonly state: 'before'; readonly who: string; readonly at: string }
  /** It isn't what they saw any more: it has to be looked at once more. */
  | { readonly state: 'changed' }
  /** Nothing is asked any more. */
  | { readonly state: 'over' }
  /** A value doesn't fit. */
  | {
      readonly state: 'unfit';
      readonly problems: readonly { readonly path: string; readonly label: string; readonly message: string }[];
    };

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly seams: Seams;
  readonly workflows: Pick<Workflows, 'version'>;
  readonly events: Events;
  /** Lets what can go on by that go on. */
  readonly goOn: (workflows: readonly string[]) => void;
}

/** Takes people's answers: each counts once, and only for what its giver has seen. */
export class Answers {
  constructor(private readonly parts: Parts) {}

  /** Takes some of one person; what one of them comes to holds no other up. In their order. */
  async take(given: readonly GivenAnswer[], who: string): Promise<Answered[]> {
    const results = await Promise.all(given.map((one) => this.takeOne(one, who)));
    if (results.some(({ state }) => state === 'taken')) this.parts.events.tell({ topic: 'item' });
    return results;
  }

  private async takeOne({ itemId, print, says }: GivenAnswer, who: string): Promise<Answered> {
    const { db, commits, seams } = this.parts;
    const open = (await openAsks(db, { item: itemId }, 1)).asks[0];
    if (!open) return this.tooLate(itemId);
    if (open.print !== print) return { state: 'changed' };
    const read = await this.verdictOf(open, says);
    if ('problems' in read) return { state: 'unfit', problems: read.problems };
    const { verdict } = read;
    const by: WokenBy = { kind: 'person', told: { verdict: verdict as unknown as Value, who } };
    const kept: KeptAnswer = {
      kind: 'answer',
      step: open.asked.step,
      who,
      says: verdict.kind,
      ...(verdict.kind === 'no' && { reason: verdict.reason }),
      ...(verdict.kind === 'yes' && { changes: verdict.changes as JsonRecord }),
    };
    const done = await commits.run(async (trx) => {
      const taken = await trx
        .updateTable('park')
        .set({ woken: JSON.stringify(by) })
        .where('item_id', '=', itemId)
        .where('woken', 'is', null)
        .where((eb) =>
          eb.exists(eb.selectFrom('ask').select('item_id').where('item_id', '=', itemId).where('print', '=', print)),
        )
        .where((eb) =>
          eb.exists(eb.selectFrom('item').select('id').where('id', '=', itemId).where('state', '=', 'waiting')),
        )
        .executeTakeFirst();
      if (Number(taken.numUpdatedRows) === 0) return undefined;
      const content = JSON.stringify(kept);
      const at = seams.now();
      await trx.insertInto('decision').values({ id: seams.id(), item_id: itemId, at, decision: content }).execute();
      await trx
        .insertInto('journal')
        .values({ item_id: itemId, at, kind: 'answered', step: open.asked.step, content })
        .execute();
      return wakeTold(trx);
    });
    if (!done) return (await openAsks(db, { item: itemId }, 1)).total > 0 ? { state: 'changed' } : this.tooLate(itemId);
    seams.reach('ask:after-answer');
    this.parts.goOn(done);
    return { state: 'taken' };
  }

  /** An answer as the step takes it, or what doesn't fit in it. */
  private async verdictOf(
    { asked, itemId }: OpenAsk,
    says: GivenAnswer['says'],
  ): Promise<
    { readonly verdict: AskVerdict } | { readonly problems: { path: string; label: string; message: string }[] }
  > {
    const version = await this.versionOf(itemId);
    const { what } = asked;
    if (what.kind === 'approval' && says.kind === 'no') {
      const reason = says.reason.trim();
      return reason === ''
        ? { problems: [{ path: 'reason', label: 'Why', message: 'Say in a few words why you refuse it.' }] }
        : { verdict: { kind: 'no', reason } };
    }
    if (what.kind === 'questions') {
      if (says.kind !== 'answers') return { problems: [{ path: '', label: '', message: 'It asks for answers.' }] };
      const read = readAnswers(what.questions, says.answers, version.locale);
      return read.ok
        ? { verdict: { kind: 'answers', answers: read.record } }
        : { problems: read.problems.map(({ key, label, message }) => ({ path: key, label, message })) };
    }
    if (says.kind !== 'yes') return { problems: [{ path: '', label: '', message: 'It asks for a yes or a no.' }] };
    const checked = checkChanges(what.shown, says.changes, fieldsOf(version, asked.step), version.locale);
    return checked.ok
      ? { verdict: { kind: 'yes', shown: what.shown, changes: checked.changes } }
      : { problems: [...checked.problems] };
  }

  private async versionOf(itemId: string): Promise<WorkflowVersion> {
    const { workflow_id, version } = await this.parts.db
      .selectFrom('item')
      .select(['workflow_id', 'version'])
      .where('id', '=', itemId)
      .executeTakeFirstOrThrow();
    return this.parts.workflows.version(workflow_id, version);
  }

  private async tooLate(itemId: string): Promise<Answered> {
    const { db } = this.parts;
    const row = await db
      .selectFrom('decision')
      .select('decision')
      .where('item_id', '=', itemId)
      .orderBy('at', 'desc')
      .execute();
    const step = row
      .map(({ decision }) => JSON.parse(decision) as KeptAnswer)
      .find(({ kind }) => kind === 'answer')?.step;
    const last = step === undefined ? undefined : await lastAnswer(db, itemId, step);
    return last ? { state: 'before', who: last.who, at: last.at } : { state: 'over' };
  }
}

/** The fields of the place into which a step's approved write goes. */
function fieldsOf({ content }: WorkflowVersion, askStep: string) {
  const ask = stepById(content, askStep);
  const write =
    ask?.kind === 'ask' && ask.what.kind === 'approval' ? stepById(content, ask.what.write ?? '') : undefined;
  return (write?.kind === 'write' && write.target?.described.fields) || [];
}
