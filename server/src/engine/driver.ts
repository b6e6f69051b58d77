import { AppError, type BatchWriter, type Connector } from '@golden/connectors';
import {
  type Advance,
  type Answer,
  advance,
  type Decision,
  type Effect,
  type Found,
  type ItemState,
  isPlaced,
  type JsonRecord,
  keyText,
  type Outcome,
  stepById,
  type Target,
  type WorkflowVersion,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { ItemRow } from '../db/schema.ts';
import { linkedId, saveLink } from '../matching/links.ts';
import type { MatchWorld } from '../matching/matcher.ts';
import { unclearIn } from '../matching/weights.ts';
import { answerOf, noteBroken } from './answers.ts';
import { FileBatcher } from './batch-writer.ts';
import type { EngineContext } from './context.ts';
import { sendDirect, writeDirect } from './direct-writer.ts';
import { closeIntent, type Intent, keepReadBack, withLastWrites } from './intents.ts';
import type { KeyedLocks } from './locks.ts';
import { Standings } from './standing.ts';

type Waiting = Extract<Advance, { effect: Effect }>;

/** An item with the version it stays on to its end. */
interface Work {
  readonly item: ItemRow;
  readonly version: WorkflowVersion;
}

/** How often a write is planned anew because the destination keeps changing. */
const mostStales = 8;
const neverStill: Answer = {
  kind: 'refused',
  cause: 'refused',
  message: 'The destination changed each time it was looked at. Nothing was written; retry when it is at rest.',
};

/** A line of the journal on its way into the next commit. */
interface JournalLine {
  readonly kind: string;
  readonly step: string | null;
  readonly content: unknown;
}

/** Drives items with `advance`, carrying out each effect through a connector. */
export class Driver {
  private readonly batchers = new Map<string, FileBatcher>();
  private readonly standings: Standings;

  constructor(private readonly context: EngineContext) {
    this.standings = new Standings(context);
  }

  /** Takes one item as far as it goes: to its end, or until a person is needed. */
  async drive(itemId: string): Promise<void> {
    const item = await this.load(itemId);
    if (item) await this.driveLoaded(item, true);
  }

  /** The same with an item just read; `hasEarlier` is false when it certainly is the first of its record. */
  async driveLoaded(item: ItemRow, hasEarlier: boolean): Promise<void> {
    if (item.state !== 'running') return;
    if (hasEarlier && (await this.standsBehind(item))) return;
    const version = await this.context.workflows.version(item.workflow_id, item.version);
    const state = JSON.parse(item.item_state) as ItemState;
    const effect = item.effect ? (JSON.parse(item.effect) as Effect) : undefined;
    await this.carryOn({ item, version }, effect ? { state, effect } : advance(version, state, { kind: 'begin' }));
  }

  /**
   * Carries out a person's decision on an unsettled item, stored before anything follows from it.
   * Trying again a write that may have been done finds that out first; only "send again" doesn't.
   */
  async decide(itemId: string, decision: Decision): Promise<void> {
    const item = await this.load(itemId);
    if (item?.state !== 'unsettled') return;
    const version = await this.context.workflows.version(item.workflow_id, item.version);
    const next = advance(version, JSON.parse(item.item_state) as ItemState, { kind: 'decided', decision });
    const { seams } = this.context;
    const token = await this.context.commits.run(async (trx) => {
      await trx
        .insertInto('decision')
        .values({ id: seams.id(), item_id: itemId, at: seams.now(), decision: JSON.stringify(decision) })
        .execute();
      const kept = await this.closeOpenIntents(trx, itemId, decision, next);
      await this.write(trx, { item, version }, next, kept, [{ kind: 'decided', step: null, content: decision }]);
      return kept;
    });
    this.tell(item);
    if (next.outcome) await this.afterEnd(item, next.outcome);
    else await this.carryOn({ item: { ...item, token }, version }, next);
  }

  /** The token of an open intent that a retry goes on with; all others are closed by the decision. */
  private async closeOpenIntents(trx: Trx, itemId: string, decision: Decision, next: Advance): Promise<string | null> {
    const open = await trx
      .selectFrom('write')
      .select(['token', 'step'])
      .where('item_id', '=', itemId)
      .where('status', '=', 'intent')
      .where('purpose', '=', 'deliver')
      .execute();
    const step = next.effect?.kind === 'write' ? next.effect.step : undefined;
    const kept = decision.kind === 'retry' ? open.find((one) => one.step === step) : undefined;
    for (const one of open) {
      if (one.token === kept?.token) continue;
      await closeIntent(this.context, trx, one.token, decision.kind === 'accept' ? 'done' : 'void', null);
    }
    return kept?.token ?? null;
  }

  private async carryOn(work: Work, from: Advance): Promise<void> {
    const { item, version } = work;
    let step = from;
    let token = item.token;
    let isStored = false;
    const lock = new StepLock(this.context.locks);
    let stales = 0;
    const journal: JournalLine[] = [];
    try {
      while (step.effect) {
        const { effect } = step;
        await lock.holdFor(effect.step, lockName(version, effect));
        const isResumed = effect.kind === 'write' && token !== null;
        // A write that may have left already is settled first, whatever its place looks like now.
        const standing =
          isResumed || effect.kind === 'readBack' ? undefined : await this.standings.of(item, version, effect.step);
        if (effect.kind === 'write' && token === null) token = this.context.seams.id();
        const carried = standing ?? (await this.carryOut(item, step, token, isResumed));
        if (carried.kind === 'stale') stales += 1;
        const answer = stales > mostStales ? neverStill : carried;
        journal.push({ kind: effect.kind, step: effect.step, content: { effect: shortEffect(effect), answer } });
        step = advance(version, step.state, answer);
        isStored = false;
        if ((effect.kind === 'write' || effect.kind === 'readBack') && token !== null) {
          token = await this.storeAnswer(work, step, { effect, token, answer }, journal.splice(0));
          isStored = true;
        }
      }
      if (!isStored) await this.context.commits.run((trx) => this.write(trx, work, step, null, journal));
      this.context.seams.reach('outcome:after-store');
      this.tell(item);
    } finally {
      lock.release();
    }
    await this.afterEnd(item, step.outcome);
  }

  /** Stores what came back from a write or its reading back; gives the token that is still open. */
  private async storeAnswer(
    work: Work,
    next: Advance,
    done: { readonly effect: Effect; readonly token: string; readonly answer: Answer },
    journal: readonly JournalLine[],
  ): Promise<string | null> {
    const { effect, token, answer } = done;
    await this.noteWritten(effect, answer);
    if (effect.kind === 'write') {
      await this.storeResult(work, next, token, answer, journal);
      return answer.kind === 'written' ? token : null;
    }
    await this.storeReadBack(work, next, token, answer.kind === 'read' ? answer.record : null, journal);
    return null;
  }

  /** The copy of a place learns of our own writes at once: the next look-alike has to find them. */
  private async noteWritten(effect: Effect, answer: Answer): Promise<void> {
    const { mirrors } = this.context;
    if (effect.kind === 'write' && answer.kind === 'written' && answer.record)
      await mirrors.note(effect.write.target, answer.id, answer.record);
    if (effect.kind === 'readBack' && answer.kind === 'read' && answer.record)
      await mirrors.note(effect.target, effect.id, answer.record);
  }

  private async carryOut(
    item: ItemRow,
    { state, effect }: Waiting,
    token: string | null,
    isResumed: boolean,
  ): Promise<Answer> {
    try {
      switch (effect.kind) {
        case 'find':
          return { kind: 'found', matches: await this.find(effect) };
        case 'match':
          return await this.context.matcher.answer(effect, this.matchWorld);
        case 'fetch':
          return { kind: 'fetched', found: await this.read(effect.target, effect.id) };
        case 'readBack': {
          const connector = await this.context.connections.connector(effect.target.connection);
          const read = await this.context
            .slots(effect.target.connection)
            .add(() => connector.fetch(effect.target.path, effect.id));
          this.context.seams.reach('read-back:after');
          return { kind: 'read', record: read?.record ?? null };
        }
        case 'write':
          return await this.writeOut({ itemId: item.id, token: token as string, state, effect }, isResumed);
      }
    } catch (error) {
      // A read-back that can't be done leaves a write that was confirmed all the same.
      if (effect.kind === 'readBack' && error instanceof AppError) return { kind: 'not_readable' };
      const target = effect.kind === 'write' ? effect.write.target : effect.target;
      await noteBroken(this.context.connections, target.connection, error);
      return answerOf(error);
    }
  }

  /** What a run sees of the places it looks in: the apps as they are now, and what is remembered. */
  private readonly matchWorld: MatchWorld = {
    read: (target, id) => this.read(target, id),
    linked: async ({ link, target }) => (link ? linkedId(this.context.db, link, target) : undefined),
  };

  private async read(target: Target, id: string): Promise<Found | null> {
    const connector = await this.context.connections.connector(target.connection);
    const there = await this.context.slots(target.connection).add(() => connector.fetch(target.path, id));
    if (!there) {
      await this.context.mirrors.note(target, id, null);
      return null;
    }
    const [found] = await withLastWrites(this.context, target.connection, target.path, [{ id, record: there.record }]);
    return found ?? null;
  }

  private async find(effect: Extract<Effect, { kind: 'find' }>): Promise<Found[]> {
    const { connection, path } = effect.target;
    const connector = await this.context.connections.connector(connection);
    const found = await this.context.slots(connection).add(() => connector.find(path, effect.by));
    return withLastWrites(this.context, connection, path, found ?? []);
  }

  private async writeOut(intent: Intent, isResumed: boolean): Promise<Answer> {
    const { connection, path } = intent.effect.write.target;
    const connector = await this.context.connections.connector(connection);
    if (connector.batch) return this.batcher(connector, connector.batch, connection, path).write(intent, isResumed);
    const request = { write: intent.effect.write, token: intent.token };
    if (isResumed) return sendDirect(this.context, connector, request, true);
    return writeDirect(this.context, connector, intent);
  }

  private batcher(connector: Connector, batch: BatchWriter, connection: string, path: readonly string[]): FileBatcher {
    const file = batch.groupOf(path);
    const name = `${connection}\n${file}`;
    const known = this.batchers.get(name) ?? new FileBatcher(this.context, connector, batch, connection, file);
    this.batchers.set(name, known);
    return known;
  }

  /** The answer and the new state in one transaction, before anything else happens. */
  private async storeResult(
    work: Work,
    next: Advance,
    token: string,
    answer: Answer,
    journal: readonly JournalLine[],
  ): Promise<void> {
    const { seams, commits } = this.context;
    seams.reach('result:before-store');
    await commits.run(async (trx) => {
      const isUnsure = answer.kind === 'refused' && answer.cause === 'unsure';
      if (answer.kind === 'written') await closeIntent(this.context, trx, token, 'done', answer.id);
      else if (!isUnsure) await closeIntent(this.context, trx, token, 'void', null);
      await this.write(trx, work, next, answer.kind === 'written' ? token : null, journal);
    });
    seams.reach('result:after-store');
    this.tell(work.item);
  }

  private async storeReadBack(
    work: Work,
    next: Advance,
    token: string,
    read: JsonRecord | null,
    journal: readonly JournalLine[],
  ): Promise<void> {
    await this.context.commits.run(async (trx) => {
      if (read) await keepReadBack(trx, token, read);
      await this.write(trx, work, next, null, journal);
    });
  }

  private async write(
    trx: Trx,
    { item, version }: Work,
    next: Advance,
    token: string | null,
    journal: readonly JournalLine[],
  ): Promise<void> {
    const { outcome } = next;
    const now = this.context.seams.now();
    await trx
      .updateTable('item')
      .set({
        item_state: this.clean(next.state),
        effect: next.effect ? JSON.stringify(next.effect) : null,
        token,
        state: outcome?.kind ?? 'running',
        cause: outcome?.kind === 'unsettled' ? outcome.cause : null,
        message: this.context.blotting.clean(messageOf(outcome)) || null,
        waits_for:
          outcome?.kind === 'unsettled' && outcome.cause === 'connection' ? connectionOf(version, outcome.step) : null,
        ended_at: outcome ? now : null,
      })
      .where('id', '=', item.id)
      .execute();
    await this.saveLinks(trx, { item, version }, next);
    // What was asked is kept beside what was decided: weights learn from both.
    const asked = outcome?.kind === 'unsettled' ? unclearIn(next.state) : [];
    const lines = [...journal, ...asked.map(({ step, result }) => ({ kind: 'unclear', step, content: result }))];
    if (lines.length === 0) return;
    await trx
      .insertInto('journal')
      .values(
        lines.map((line) => ({
          item_id: item.id,
          at: now,
          kind: line.kind,
          step: line.step,
          content: this.clean(line.content),
        })),
      )
      .execute();
  }

  /** Remembers the matches that this step on has settled, with the state that rests on them. */
  private async saveLinks(trx: Trx, { item, version }: Work, { state }: Advance): Promise<void> {
    for (const [id, result] of Object.entries(state.steps)) {
      if ((result.kind !== 'found' && result.kind !== 'written') || !result.link) continue;
      const step = stepById(version.content, id);
      if (!step || !isPlaced(step) || !step.target || result.id === '') continue;
      const how = result.by?.how;
      const isNew = result.kind === 'written' && result.outcome === 'new';
      const origin = isNew ? 'created' : how === 'chosen' ? 'chosen' : 'found';
      if (how === 'link') continue;
      await saveLink(
        trx,
        this.context.seams,
        result.link,
        { connection: step.target.connection, path: step.target.path, id: result.id },
        { origin, workflow: item.workflow_id, probability: result.by?.probability },
      );
    }
  }

  private clean(content: unknown): string {
    return this.context.blotting.clean(JSON.stringify(content));
  }

  /**
   * Items of one source record keep their order: true when an earlier one is still open, and marks
   * this one as standing behind it when that needs a person.
   */
  private async standsBehind(item: ItemRow): Promise<boolean> {
    const earlier = await this.context.db
      .selectFrom('item')
      .select('state')
      .where('workflow_id', '=', item.workflow_id)
      .where('source_id', '=', item.source_id)
      .where('seq', '<', item.seq)
      .where('state', 'in', ['running', 'unsettled', 'waiting'])
      .execute();
    if (earlier.length === 0) return false;
    if (earlier.some((one) => one.state === 'unsettled')) {
      const message = 'An earlier change of this record is unsettled. It goes on when that one is settled.';
      await this.context.db
        .updateTable('item')
        .set({ state: 'unsettled', cause: 'behind', message })
        .where('id', '=', item.id)
        .execute();
    }
    return true;
  }

  /** What stands behind an item goes on when it has ended well, or waits with it. */
  private async afterEnd(item: ItemRow, outcome: Outcome | undefined): Promise<void> {
    if (!outcome) return;
    const next = await this.context.db
      .selectFrom('item')
      .select(['id', 'state'])
      .where('workflow_id', '=', item.workflow_id)
      .where('source_id', '=', item.source_id)
      .where('seq', '>', item.seq)
      .where((eb) => eb.or([eb('state', '=', 'running'), eb('cause', '=', 'behind')]))
      .orderBy('seq')
      .executeTakeFirst();
    if (!next) return;
    if (next.state !== 'running') {
      if (outcome.kind === 'unsettled') return;
      await this.context.db
        .updateTable('item')
        .set({ state: 'running', cause: null, message: null })
        .where('id', '=', next.id)
        .execute();
    }
    await this.drive(next.id);
  }

  private load(id: string): Promise<ItemRow | undefined> {
    return this.context.db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
  }

  private tell(item: ItemRow): void {
    this.context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
  }
}

/** The one lock that an item holds at a time: from a step's lookup until its result is stored. */
class StepLock {
  private held: { readonly name: string; readonly step: string; readonly release: () => void } | undefined;

  constructor(private readonly locks: KeyedLocks) {}

  /** Lets go of what another step held, and waits for what this one needs, where it needs any. */
  async holdFor(step: string, name: string | undefined): Promise<void> {
    if (this.held && (this.held.step !== step || (name !== undefined && this.held.name !== name))) this.release();
    if (name !== undefined && !this.held) this.held = { name, step, release: await this.locks.take(name) };
  }

  release(): void {
    this.held?.release();
    this.held = undefined;
  }
}

/**
 * What has to be held until the step's result is stored, so that two look-alikes side by side never
 * both find nobody: the key's value where there is one key; the whole place where a ladder may end
 * in a new record, for likeness has no key.
 */
function lockName({ content }: WorkflowVersion, effect: Effect): string | undefined {
  const place = (target: Target): string => `${target.connection}|${target.path.join('/')}`;
  if (effect.kind === 'find') return `${place(effect.target)}|${keyText(effect.by.value)}`;
  if (effect.kind !== 'match' && effect.kind !== 'fetch') return undefined;
  const step = stepById(content, effect.step);
  const makes = step?.kind === 'write' || (step?.kind === 'lookup' && step.ladder.atNone === 'create');
  return makes ? place(effect.target) : undefined;
}

function messageOf(outcome: Outcome | undefined): string {
  if (outcome?.kind === 'unsettled') return outcome.message;
  if (outcome?.kind === 'left_out') return outcome.why;
  return outcome?.kind === 'dismissed' ? outcome.reason : '';
}

/** The journal keeps what was asked, not the whole record again. */
function shortEffect(effect: Effect): unknown {
  if (effect.kind === 'match') {
    const { ladder: _ways, ...asked } = effect;
    return asked;
  }
  if (effect.kind !== 'write') return effect;
  const { kind, id, values, target } = effect.write;
  return { kind, id, values, target };
}

/** The connection that a step writes through. */
function connectionOf(version: WorkflowVersion, stepId: string): string | null {
  const step = stepById(version.content, stepId);
  return step && isPlaced(step) ? (step.target?.connection ?? null) : null;
}
