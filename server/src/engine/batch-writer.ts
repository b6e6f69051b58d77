import {
  type BatchResult,
  type BatchWriter,
  Changed,
  type Connector,
  type Replacement,
  Unsure,
  type WriteRequest,
} from '@golden/connectors';
import type { Answer } from '@golden/core';
import type { WriteTable } from '../db/schema.ts';
import { answerOf, noteBroken } from './answers.ts';
import type { EngineContext } from './context.ts';
import { type Intent, storeIntent } from './intents.ts';
import { answerOfSettled, settleBatched } from './settle.ts';

interface Gathered {
  readonly intent: Intent;
  /** True when an earlier process stored the intent and may have sent it. */
  readonly isResumed: boolean;
  readonly resolve: (answer: Answer) => void;
  readonly reject: (error: unknown) => void;
}

/** Rows in one replacement at the most (batches of about a hundred are common practice). */
const mostRows = 100;
/** Milliseconds to wait for company before a replacement is made. */
const patience = 12;
/** How often a replacement is made anew because somebody else saved the file meanwhile. */
const mostTries = 6;

/**
 * Gathers the writes to one file into replacements, one at a time. The hashes before and after are
 * on the disk before the file is replaced, so that it can be told afterwards whether it was.
 */
export class FileBatcher {
  private gathered: Gathered[] = [];
  private isBusy = false;

  constructor(
    private readonly context: EngineContext,
    private readonly connector: Connector,
    private readonly batch: BatchWriter,
    private readonly connectionId: string,
    private readonly file: string,
  ) {}

  /** The answer to a write, once the replacement it is part of is in place. */
  write(intent: Intent, isResumed = false): Promise<Answer> {
    return new Promise((resolve, reject) => {
      this.gathered.push({ intent, isResumed, resolve, reject });
      if (this.isBusy) return;
      this.isBusy = true;
      setTimeout(() => void this.work(), patience);
    });
  }

  private async work(): Promise<void> {
    while (this.gathered.length > 0) {
      const some = this.gathered.splice(0, mostRows);
      try {
        const answers = await this.replace(some);
        for (const one of some) one.resolve(answers.get(one.intent.token) ?? { kind: 'stale' });
      } catch (error) {
        for (const one of some) one.reject(error);
      }
    }
    this.isBusy = false;
  }

  private async replace(some: readonly Gathered[]): Promise<Map<string, Answer>> {
    const { context } = this;
    const fresh = some.filter((one) => !one.isResumed);
    if (fresh.length > 0) {
      context.seams.reach('intent:before-store');
      await context.commits.run(async (trx) => {
        for (const { intent } of fresh) await storeIntent(context, trx, intent);
      });
      context.seams.reach('intent:after-store');
    }
    const answers = new Map<string, Answer>();
    let open = some.map(toRequest);
    if (fresh.length < some.length) open = await this.settle(open, answers);
    for (let tries = 0; tries < mostTries && open.length > 0; tries++) open = await this.attempt(open, answers);
    for (const { token } of open) {
      const message = `“${this.file}” is being saved by others all the time. Nothing was written; retry later.`;
      answers.set(token, { kind: 'refused', cause: 'connection', message });
    }
    return answers;
  }

  /** One replacement; gives the writes that have to be tried again. */
  private async attempt(open: readonly WriteRequest[], answers: Map<string, Answer>): Promise<WriteRequest[]> {
    let replacement: Replacement;
    try {
      replacement = await this.batch.prepare(open);
    } catch (error) {
      await noteBroken(this.context.connections, this.connectionId, error);
      for (const { token } of open) answers.set(token, answerOf(error));
      return [];
    }
    const written = open.filter(({ token }) => replacement.results.get(token)?.kind === 'written');
    for (const { token } of open) {
      const answer = answerOfResult(replacement.results.get(token));
      if (answer && answer.kind !== 'written') answers.set(token, answer);
    }
    if (written.length === 0) return [];
    await this.record(replacement, written);
    try {
      await replacement.commit();
      this.context.seams.reach('file:after-put');
    } catch (error) {
      if (error instanceof Changed || error instanceof Unsure) return this.settle(written, answers);
      await noteBroken(this.context.connections, this.connectionId, error);
      for (const { token } of written) answers.set(token, answerOf(error));
      return [];
    }
    for (const { token } of written) answers.set(token, answerOfResult(replacement.results.get(token)) as Answer);
    return [];
  }

  private async record(replacement: Replacement, written: readonly WriteRequest[]): Promise<void> {
    const { context } = this;
    const id = context.seams.id();
    const rows = written.map(({ token }): [string, string] => {
      const result = replacement.results.get(token);
      return [token, result?.kind === 'written' ? result.id : ''];
    });
    context.seams.reach('file:before-record');
    await context.commits.run((trx) =>
      trx
        .insertInto('replacement')
        .values({
          id,
          connection: this.connectionId,
          file: this.file,
          hash_before: replacement.hashBefore,
          hash_after: replacement.hashAfter,
          rows: JSON.stringify(Object.fromEntries(rows)),
          at: context.seams.now(),
        })
        .execute(),
    );
    context.seams.reach('file:after-record');
  }

  /** Finds out about writes that may have been done; gives those that certainly were not. */
  private async settle(requests: readonly WriteRequest[], answers: Map<string, Answer>): Promise<WriteRequest[]> {
    const again: WriteRequest[] = [];
    for (const request of requests) {
      try {
        const row = await this.writeRow(request.token);
        const settled = await settleBatched(this.context, this.connector, this.batch, row);
        const answer = answerOfSettled(settled);
        if (answer) answers.set(request.token, answer);
        else again.push(request);
      } catch (error) {
        // The app can't be asked now: what may have been done stays unsure.
        const answer = answerOf(error);
        answers.set(request.token, answer.kind === 'refused' ? { ...answer, cause: 'unsure' } : answer);
      }
    }
    return again;
  }

  private writeRow(token: string): Promise<WriteTable> {
    return this.context.db.selectFrom('write').selectAll().where('token', '=', token).executeTakeFirstOrThrow();
  }
}

const toRequest = ({ intent }: Gathered): WriteRequest => ({ write: intent.effect.write, token: intent.token });

function answerOfResult(result: BatchResult | undefined): Answer | undefined {
  if (result?.kind === 'written') return { kind: 'written', id: result.id };
  if (result?.kind === 'stale') return { kind: 'stale' };
  return result ? answerOf(result.error) : undefined;
}
