import { type Step, type StepOf, withinOf, writeSteps } from '../steps/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { callIn } from './call.ts';
import { newStepId } from './moves.ts';
import type { WorkflowContent } from './schema.ts';

/** A write that can't be taken back once it is done. */
export interface LastingWrite {
  readonly step: string;
  /** What it is, and where: "mail “first mail” in Mails to send". */
  readonly what: string;
  /** True where a person approves it first. */
  readonly isAsked: boolean;
  /** True where a step that asks can be put before it. */
  readonly mayAsk: boolean;
}

/** Words of the trade for what moves money or is read by others: once it is there, no program brings it back. */
const lasting = /\b(payment|refund|payout|transfer|message)s?\b/i;

/** The writes of a workflow that can't be taken back: what goes out to somebody, what moves money, what is called. */
export function lastingWrites(content: WorkflowContent): LastingWrite[] {
  return writeSteps(content).flatMap((step) => {
    const { target } = step;
    if (step.isOff || !target || !lasts(step)) return [];
    const { singular } = target.described;
    const isAsked = content.steps.some(
      (one) => one.kind === 'ask' && !one.isOff && one.what.kind === 'approval' && one.what.write === step.id,
    );
    const called = step.name ? `${singular} “${step.name}”` : singular;
    const what = `${called} in ${target.labels.join(' → ')}`;
    return [{ step: step.id, what, isAsked, mayAsk: !isAsked && withinOf(step) === undefined }];
  });
}

function lasts({ target }: WriteStep): boolean {
  if (!target) return false;
  const { described, path } = target;
  return described.sentTo !== undefined || lasting.test(described.singular) || callIn(path)?.onlyReads === false;
}

/** The workflow with a step that asks a person before a write is done, and that step's id. */
export function withAskBefore(content: WorkflowContent, write: string): { content: WorkflowContent; id: string } {
  const at = content.steps.findIndex(({ id }) => id === write);
  const id = newStepId(content, 'ask');
  const ask: StepOf<'ask'> = {
    id,
    kind: 'ask',
    what: { kind: 'approval', write },
    words: [],
    to: [],
    through: null,
    by: { amount: 2, unit: 'working_days' },
    silence: 'reminds',
  };
  const steps: Step[] = at < 0 ? content.steps : content.steps.toSpliced(at, 0, ask);
  return { content: { ...content, steps }, id };
}
