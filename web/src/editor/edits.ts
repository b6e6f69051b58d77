import type { Filling, Place, Start, Step, WorkflowContent, WriteStep } from '@golden/core';

/** Changes of a draft, each a plain function from one content to the next. */

export const withStart =
  (change: Partial<Start>) =>
  (content: WorkflowContent): WorkflowContent => ({ ...content, start: { ...content.start, ...change } });

export const withStep =
  <S extends Step>(id: string, change: (step: S) => S) =>
  (content: WorkflowContent): WorkflowContent => ({
    ...content,
    steps: content.steps.map((step) => (step.id === id ? change(step as S) : step)),
  });

export const withoutStep =
  (id: string) =>
  (content: WorkflowContent): WorkflowContent => ({
    ...content,
    steps: content.steps.filter((step) => step.id !== id),
  });

/** Conditions go before the first write, writes to the end: where each is usually wanted. */
export const withNewStep =
  (step: Step) =>
  (content: WorkflowContent): WorkflowContent => {
    const firstWrite = content.steps.findIndex((one) => one.kind === 'write');
    const at = step.kind === 'condition' && firstWrite >= 0 ? firstWrite : content.steps.length;
    return { ...content, steps: content.steps.toSpliced(at, 0, step) };
  };

export const withFilling =
  (id: string, path: string, filling: Filling | undefined) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const { [path]: _old, ...rest } = step.mapping;
      return { ...step, mapping: filling ? { ...rest, [path]: filling } : rest };
    })(content);

export const withTarget =
  (id: string, target: Place) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const { key: _key, ...rest } = step;
      const isSamePlace =
        step.target?.connection === target.connection && step.target.path.join() === target.path.join();
      return isSamePlace ? { ...step, target } : { ...rest, target, mapping: {} };
    })(content);

/** An id for a new step that no other step has. */
export function newStepId(content: WorkflowContent, kind: Step['kind']): string {
  let number = content.steps.length + 1;
  while (content.steps.some((step) => step.id === `${kind}-${number}`)) number += 1;
  return `${kind}-${number}`;
}
