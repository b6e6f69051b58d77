import { AppError } from '@golden/connectors';
import {
  type Answer,
  driftOf,
  driftSentence,
  isPlaced,
  type PlacedStep,
  stepById,
  type WorkflowContent,
  type WorkflowVersion,
} from '@golden/core';
import type { ItemRow } from '../db/schema.ts';
import { answerOf } from './answers.ts';
import type { EngineContext } from './context.ts';

/**
 * What stands in the way of a write as its place is now: a field it uses is gone, an option, a right.
 * Undefined when nothing does.
 */
export async function checkDestination(
  context: EngineContext,
  content: WorkflowContent,
  step: PlacedStep,
): Promise<Answer | undefined> {
  if (!step.target) return undefined;
  try {
    const connector = await context.connections.connector(step.target.connection);
    const now = await connector.describe(step.target.path);
    const drift = driftOf(content, step.id, step.target.described, now);
    if (drift.isStopping) {
      const message = driftSentence(drift, `“${step.target.labels.join(' → ')}”`);
      return { kind: 'refused', cause: 'drift', message };
    }
    const writes = step.kind === 'write' || step.ladder?.atNone === 'create';
    if (now.readOnlyBecause && writes) return { kind: 'refused', cause: 'connection', message: now.readOnlyBecause };
    return undefined;
  } catch (error) {
    return answerOf(context.connections, error);
  }
}

/** Milliseconds for which a place that was found in order is taken to be so. */
const holds = 5000;

/** Looks at a destination before anything is written to it, and again every few seconds. */
export class Standings {
  private readonly known = new Map<string, { readonly at: number; readonly standing: Promise<Answer | undefined> }>();

  constructor(private readonly context: EngineContext) {}

  /**
   * What stands in the way of a step now. A fault of the connection isn't told here: the request
   * itself meets it, and is retried as its kind allows.
   */
  of(
    item: Pick<ItemRow, 'workflow_id' | 'version'>,
    version: WorkflowVersion,
    stepId: string,
  ): Promise<Answer | undefined> {
    const step = stepById(version.content, stepId);
    if (!step || !isPlaced(step)) return Promise.resolve(undefined);
    const name = `${item.workflow_id}/${item.version}/${step.id}`;
    const last = this.known.get(name);
    const now = this.context.seams.uptime();
    if (last && now - last.at < holds) return last.standing;
    const standing = this.look(version.content, step);
    this.known.set(name, { at: now, standing });
    // What stopped a write is looked at anew the next time, so that a retry after mending goes on at once.
    standing.then(
      (answer) => answer && this.known.delete(name),
      () => this.known.delete(name),
    );
    return standing;
  }

  private async look(content: WorkflowContent, step: PlacedStep): Promise<Answer | undefined> {
    try {
      const answer = await checkDestination(this.context, content, step);
      return answer?.kind === 'refused' && answer.cause === 'drift' ? answer : undefined;
    } catch (error) {
      if (error instanceof AppError) return undefined;
      throw error;
    }
  }
}
