import {
  type FieldInStep,
  fieldsInStep,
  type InStepSetting,
  InStepSettingSchema,
  isReady,
  type Legs,
  NotAPair,
  proposeBack,
  removalOf,
  unwoven,
  usualInStep,
  type WorkflowContent,
  weave,
  withConsents,
  writeSteps,
} from '@golden/core';
import { type ChosenPlace, copyBetween } from '../building/copies.ts';
import { expectMayGoLive } from '../building/may-go-live.ts';
import type { Trx } from '../db/group-commit.ts';
import type { InStepRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import { KeyedLocks } from '../engine/locks.ts';
import type { Services } from '../services.ts';
import { findPair, pairWith, workflowsOf } from './pairs.ts';

/** A pair with how it is set and its two directions as they are drafted. */
export interface InStepPair {
  readonly row: InStepRow;
  readonly setting: InStepSetting;
  readonly legs: Legs;
  readonly fields: readonly FieldInStep[];
}

/** Whether something is carried by a setting: records always are, removals where something becomes of them. */
export function isCarried(
  { removed }: InStepSetting,
  what: 'there' | 'here' | 'removed_here' | 'removed_there',
): boolean {
  if (what === 'removed_here') return removed.here.kind !== 'nothing';
  return what !== 'removed_there' || removed.there.kind !== 'nothing';
}

/**
 * Two places that are kept in step, both ways: a workflow for each direction, and where removals are carried one for
 * those of each side. What they have in common follows from the setting of the pair.
 */
export class InSteps {
  /** Changes of one pair, one after the other: what was chosen last counts. */
  private readonly changes = new KeyedLocks();

  constructor(private readonly services: Services) {}

  /** All pairs, by their names. */
  list(): Promise<InStepRow[]> {
    return this.services.db.selectFrom('in_step').selectAll().orderBy('name').execute();
  }

  /** A pair. @throws NotPossible where it isn't there any more */
  async get(id: string): Promise<InStepPair> {
    const row = await this.row(id);
    const setting = InStepSettingSchema.parse(JSON.parse(row.setting));
    const legs = await this.legsOf(row);
    return { row, setting, legs, fields: asked(() => fieldsInStep(legs, setting)) };
  }

  /** Drafts both directions between two places, with everything proposed that can be; gives the pair's id. */
  async add(from: ChosenPlace, to: ChosenPlace): Promise<string> {
    const there = await copyBetween(this.services, from, to, 'all_in_step');
    return this.addPair(there, await this.back(there));
  }

  /** Gives a workflow that copies one way its other direction; what it has sent and matched so far holds for both. */
  async addTo(workflowId: string): Promise<string> {
    const { db, workflows } = this.services;
    const pair = await pairWith(db, workflowId);
    if (pair) return pair.id;
    const { draft, id } = await workflows.get(workflowId);
    return this.addPair(draft, await this.back(draft), id);
  }

  /** Changes how a pair is kept in step; both drafts follow. */
  async change(id: string, name: string, setting: InStepSetting): Promise<void> {
    const release = await this.changes.take(id);
    try {
      await this.row(id);
      await this.services.db
        .updateTable('in_step')
        .set({ name, setting: JSON.stringify(setting) })
        .where('id', '=', id)
        .execute();
      await this.weave(id);
    } finally {
      release();
    }
  }

  /** Brings the drafts of both directions up to what each says of the other, and what carries removals. */
  async weave(id: string): Promise<void> {
    const { row, setting, legs } = await this.get(id);
    const woven = asked(() => weave(legs, setting, id));
    await this.saveDraft(row.there_id, woven.there);
    await this.saveDraft(row.here_id, woven.here);
    for (const side of ['here', 'there'] as const)
      await this.weaveRemoval(
        row,
        side,
        asked(() => removalOf(woven, setting, side, id)),
      );
    this.services.events.tell({ topic: 'workflow' });
  }

  /** The same, where a workflow is a direction of a pair; nothing for any other. */
  async weaveAround(workflowId: string): Promise<void> {
    const pair = await pairWith(this.services.db, workflowId);
    if (pair && (pair.there_id === workflowId || pair.here_id === workflowId)) await this.weave(pair.id);
  }

  /** Rehearses both directions over all records, as a whole. */
  async rehearse(id: string): Promise<void> {
    await this.weave(id);
    const { there_id, here_id } = await this.row(id);
    await this.services.engine.rehearseBoth([there_id, here_id]);
  }

  /** Somebody has looked at what is suggested for both directions, and accepts it. */
  async accept(id: string): Promise<void> {
    const { legs, row } = await this.get(id);
    await this.saveDraft(row.there_id, accepted(legs.there));
    await this.saveDraft(row.here_id, accepted(legs.here));
  }

  /**
   * Makes both directions live, and what carries removals.
   * @throws NotPossible where one isn't ready, or wasn't rehearsed as it is
   */
  async makeLive(id: string): Promise<void> {
    const { engine, workflows, seams } = this.services;
    await this.weave(id);
    const row = await this.row(id);
    const directions = [row.there_id, row.here_id];
    for (const workflow of directions) {
      const { draft } = await workflows.get(workflow);
      if (!isReady(draft)) throw new NotPossible(`“${draft.name}” isn’t ready. Solve the problems shown there first.`);
      await expectMayGoLive(this.services, workflow);
    }
    await this.takeOver(row);
    seams.reach('in-step:after-take-over');
    for (const workflow of directions) {
      await engine.makeLive(workflow);
      seams.reach('in-step:after-live');
    }
    for (const workflow of await this.removals(row)) await engine.makeLive(workflow);
  }

  /** Switches all of a pair on or off. */
  async turn(id: string, isOn: boolean): Promise<void> {
    const { engine, workflows } = this.services;
    const row = await this.row(id);
    const removals = isOn ? await this.removals(row) : workflowsOf(row).slice(2);
    for (const workflow of [row.there_id, row.here_id, ...removals]) {
      const { liveVersion } = await workflows.get(workflow);
      if (liveVersion === null) continue;
      if (isOn) await engine.switchOn(workflow);
      else await engine.switchOff(workflow);
    }
  }

  /** Looks at both sides now; gives the runs. */
  async check(id: string): Promise<string[]> {
    const row = await this.row(id);
    const runs: string[] = [];
    for (const workflow of [row.there_id, row.here_id, ...(await this.removals(row))])
      runs.push(await this.services.engine.checkNow(workflow));
    return runs;
  }

  /**
   * Ends a pair: both directions stay as two workflows of their own, switched off. Nothing of what was written changes.
   * @throws NotPossible while one of them is on
   */
  async remove(id: string): Promise<void> {
    const { db, workflows } = this.services;
    const row = await this.row(id);
    const all = await Promise.all(workflowsOf(row).map((one) => workflows.get(one)));
    if (all.some(({ isOn }) => isOn)) throw new NotPossible('Switch it off before you end it.');
    for (const removal of [row.removed_here_id, row.removed_there_id]) if (removal) await workflows.remove(removal);
    for (const one of [row.there_id, row.here_id]) {
      const { draft } = await workflows.get(one);
      await this.saveDraft(one, unwoven(draft));
    }
    await db.deleteFrom('in_step').where('id', '=', id).execute();
    this.services.events.tell({ topic: 'workflow' });
  }

  private async back(there: WorkflowContent): Promise<WorkflowContent> {
    const { source } = there.start;
    const target = writeSteps(there).find(({ target }) => target !== null)?.target;
    if (!source || !target) throw new NotPossible('Choose where the records come from and where they go first.');
    const drafted = await copyBetween(this.services, target, source, 'all_in_step');
    return asked(() => proposeBack(there, drafted));
  }

  private async addPair(there: WorkflowContent, here: WorkflowContent, existing?: string): Promise<string> {
    const { db, workflows, seams } = this.services;
    const id = seams.id();
    const woven = asked(() => weave(withConsents({ there, here }), usualInStep, id));
    const name = there.name.slice(0, 120);
    const folder = existing === undefined ? '' : (await workflows.get(existing)).folder;
    const thereId = existing ?? (await workflows.add(woven.there, folder)).id;
    const { id: hereId } = await workflows.add(woven.here, folder);
    await db
      .insertInto('in_step')
      .values({
        id,
        name,
        setting: JSON.stringify(usualInStep),
        there_id: thereId,
        here_id: hereId,
        removed_here_id: null,
        removed_there_id: null,
        made_at: seams.now(),
      })
      .execute();
    if (existing !== undefined) await this.saveDraft(existing, woven.there);
    return id;
  }

  /** The workflows that carry removals, as far as they are wanted. */
  private async removals(row: InStepRow): Promise<string[]> {
    const setting = InStepSettingSchema.parse(JSON.parse(row.setting));
    const wanted = [
      isCarried(setting, 'removed_here') ? row.removed_here_id : null,
      isCarried(setting, 'removed_there') ? row.removed_there_id : null,
    ];
    return wanted.filter((id): id is string => id !== null);
  }

  private async row(id: string): Promise<InStepRow> {
    const row = await findPair(this.services.db, id);
    if (!row) throw new NotPossible('These two places aren’t kept in step any more.');
    return row;
  }

  private async legsOf({ there_id, here_id }: InStepRow): Promise<Legs> {
    const { workflows } = this.services;
    return { there: (await workflows.get(there_id)).draft, here: (await workflows.get(here_id)).draft };
  }

  private async saveDraft(workflowId: string, content: WorkflowContent): Promise<void> {
    const { workflows } = this.services;
    const { draft, draftRev } = await workflows.get(workflowId);
    if (JSON.stringify(draft) !== JSON.stringify(content)) await workflows.saveDraft(workflowId, content, draftRev);
  }

  private async weaveRemoval(
    row: InStepRow,
    side: 'here' | 'there',
    content: WorkflowContent | undefined,
  ): Promise<void> {
    const { db, workflows, engine } = this.services;
    const column = side === 'here' ? 'removed_here_id' : 'removed_there_id';
    const known = row[column];
    if (!content) {
      if (known === null) return;
      // What was removed up to now is in its books: it is only switched off.
      if ((await workflows.get(known)).isOn) await engine.switchOff(known);
      return;
    }
    if (known !== null) {
      await this.saveDraft(known, content);
      return;
    }
    const { folder } = await workflows.get(row.there_id);
    const { id } = await workflows.add(content, folder);
    await db
      .updateTable('in_step')
      .set({ [column]: id })
      .where('id', '=', row.id)
      .execute();
  }

  /** What the first direction has sent and matched so far, while it was alone, holds for the pair. */
  private async takeOver({ id, there_id, here_id }: InStepRow): Promise<void> {
    await this.services.commits.run(async (trx) => {
      await takeOverBase(trx, id, [there_id, here_id]);
      await linkBack(trx, this.services, there_id);
    });
  }
}

function accepted(content: WorkflowContent): WorkflowContent {
  const steps = content.steps.map((step): WorkflowContent['steps'][number] => {
    if (step.kind !== 'write') return step;
    const { suggested: _looked, ...rest } = step;
    return rest;
  });
  return { ...content, steps };
}

/** Bases of workflows that stood alone become the pair's, where it has none of its own yet. */
async function takeOverBase(trx: Trx, pair: string, workflows: readonly string[]): Promise<void> {
  const rows = await trx
    .selectFrom('last_written')
    .selectAll()
    .where('workflow_id', 'in', [...workflows])
    .execute();
  for (const { workflow_id: _own, ...row } of rows)
    await trx
      .insertInto('last_written')
      .values({ ...row, workflow_id: pair })
      .onConflict((conflict) => conflict.doNothing())
      .execute();
}

/** Each match that is remembered in one direction is remembered back as well, where it is one to one. */
async function linkBack(trx: Trx, { seams }: Pick<Services, 'seams'>, workflow: string): Promise<void> {
  const links = await trx.selectFrom('link').selectAll().where('workflow_id', '=', workflow).execute();
  const ends = new Map<string, number>();
  const end = ({ to_account, to_place, to_id }: (typeof links)[number]): string =>
    JSON.stringify([to_account, to_place, to_id]);
  for (const link of links) ends.set(end(link), (ends.get(end(link)) ?? 0) + 1);
  for (const link of links) {
    if (ends.get(end(link)) !== 1) continue;
    await trx
      .insertInto('link')
      .values({
        id: seams.id(),
        from_account: link.to_account,
        from_place: link.to_place,
        from_id: link.to_id,
        to_account: link.from_account,
        to_place: link.from_place,
        to_id: link.from_id,
        left_gone: 0,
        origin: link.origin,
        workflow_id: link.workflow_id,
        probability: link.probability,
        made_at: seams.now(),
      })
      .onConflict((conflict) => conflict.doNothing())
      .execute();
  }
}

/** What makes two workflows no pair is told like anything else that can't be done. */
function asked<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof NotAPair) throw new NotPossible(error.message);
    throw error;
  }
}
