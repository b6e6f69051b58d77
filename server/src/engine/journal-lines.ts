import {
  type Answer,
  type Effect,
  isPlaced,
  type JsonRecord,
  type Pointer,
  readPointer,
  stepById,
  type Value,
  type WorkflowContent,
} from '@golden/core';

/** A line of the journal on its way into the next commit. */
export interface JournalLine {
  readonly kind: string;
  readonly step: string | null;
  readonly content: unknown;
}

/**
 * One effect with what it came to. Of records only the fields that the step uses are kept, and nothing that stands in
 * the item, its writes or its version anyway: a whole record for each question made two fifths of the data file.
 */
export function lineOfEffect(content: WorkflowContent, effect: Effect, answer: Answer): JournalLine {
  return {
    kind: effect.kind,
    step: effect.step,
    content: { asked: asked(effect), answer: answered(answer, usedBy(content, effect.step)) },
  };
}

function asked(effect: Effect): unknown {
  switch (effect.kind) {
    case 'find':
      return { by: effect.by };
    case 'match':
      return { known: effect.known };
    case 'write':
      return { kind: effect.write.kind, id: effect.write.id };
    case 'fetch':
    case 'readBack':
      return { id: effect.id };
    case 'handOver':
      return { count: effect.count };
    case 'handedBack':
      return {};
  }
}

function answered(answer: Answer, used: readonly Pointer[]): unknown {
  const cut = ({ id, record }: { readonly id: string; readonly record: JsonRecord }) => ({
    id,
    fields: fieldsOf(record, used),
  });
  switch (answer.kind) {
    case 'found':
      return { kind: answer.kind, matches: answer.matches.map(cut) };
    case 'matched':
      return {
        kind: answer.kind,
        ...(answer.linked && { linked: cut(answer.linked) }),
        ...(answer.gone && { gone: answer.gone.id }),
        tries: answer.tries.map(({ rung, candidates }) => ({
          rung,
          candidates: candidates.map((one) => ({ ...cut(one), probability: one.probability })),
        })),
      };
    case 'fetched':
      return { kind: answer.kind, found: answer.found && cut(answer.found) };
    case 'written':
    case 'settled':
      return { kind: answer.kind, id: answer.id };
    case 'read':
      // The record itself is kept with its write.
      return { kind: answer.kind, isThere: answer.record !== null };
    case 'handed':
      return { kind: answer.kind, count: answer.count, passedOver: answer.passedOver };
    case 'handed_back':
      return { kind: answer.kind, open: answer.open, unsettled: answer.unsettled, counts: answer.counts };
    default:
      return answer;
  }
}

/** The fields of its place that a step fills, looks for or judges by. */
function usedBy(content: WorkflowContent, stepId: string): readonly Pointer[] {
  const step = stepById(content, stepId);
  if (!step || !isPlaced(step)) return [];
  const key = step.kind === 'write' && step.key !== undefined ? [step.key] : [];
  const ladder = (step.ladder?.rungs ?? []).flatMap((rung) =>
    rung.fields.map((one) => (typeof one === 'string' ? one : one.path)),
  );
  return [...new Set([...Object.keys(step.mapping), ...key, ...ladder])];
}

function fieldsOf(record: JsonRecord, used: readonly Pointer[]): Record<Pointer, Value> {
  return Object.fromEntries(
    used.flatMap((path) => {
      const value = readPointer(record, path);
      return value === undefined ? [] : [[path, value] as const];
    }),
  );
}
