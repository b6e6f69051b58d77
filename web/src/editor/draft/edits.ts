import {
  asDraftFirst,
  definitionOf,
  type Filling,
  type Formula,
  newStepId,
  type Place,
  type Reading,
  type Ref,
  type Start,
  type Step,
  type Suggestion,
  standingWithin,
  startId,
  type WorkflowContent,
  type WriteStep,
  withinOf,
} from '@golden/core';

/** Changes of a draft, each a plain function from one content to the next. */

/** The draft with another setting of its start. */
export const withStart =
  (change: Partial<Start>) =>
  (content: WorkflowContent): WorkflowContent => ({ ...content, start: { ...content.start, ...change } });

/** The draft with one of its steps changed. */
export const withStep =
  <S extends Step>(id: string, change: (step: S) => S) =>
  (content: WorkflowContent): WorkflowContent => ({
    ...content,
    steps: content.steps.map((step) => (step.id === id ? change(step as S) : step)),
  });

/** The draft without a step, and without what stood within it. */
export const withoutStep =
  (id: string) =>
  (content: WorkflowContent): WorkflowContent => ({
    ...content,
    // What stood within a removed "for each" stays, for the record as a whole.
    steps: content.steps.flatMap((step): Step[] => {
      if (step.id === id) return [];
      return [withinOf(step) === id ? standingWithin(step, undefined) : step];
    }),
  });

/** A new sentence after another; without one, what is asked goes before the first write and the rest to the end. */
export const withNewStep =
  (step: Step, after?: string) =>
  (content: WorkflowContent): WorkflowContent => {
    // What is done when all is through stays the last.
    const last = content.steps.findIndex((one) => one.kind === 'write' && one.afterAll);
    const end = last < 0 ? content.steps.length : last;
    const asked = after === startId ? 0 : content.steps.findIndex((one) => one.id === after) + 1;
    const put = (at: number): WorkflowContent => {
      const proposed = definitionOf(step).before?.(step, content.steps.slice(at)) ?? step;
      return { ...content, steps: content.steps.toSpliced(at, 0, proposed) };
    };
    if (after === startId || asked > 0) return put(Math.min(asked, end));
    const firstDelivery = content.steps.findIndex((one) => definitionOf(one).delivers);
    // What is asked or looked up comes before what is written.
    const at = definitionOf(step).comesFirst && firstDelivery >= 0 ? firstDelivery : end;
    return put(at);
  };

/** The draft with another filling of a field; undefined clears it. */
export const withFilling =
  (id: string, path: string, filling: Filling | undefined) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const { [path]: _old, ...rest } = step.mapping;
      return settled({ ...step, mapping: filling ? { ...rest, [path]: filling } : rest }, path);
    })(content);

/** What a step hands over: each item of a list, or the record itself. What was filled with the list's items is filled anew. */
export const withHandedEach =
  (id: string, over: Ref | undefined) =>
  (content: WorkflowContent): WorkflowContent => {
    const step = content.steps.find((one) => one.id === id);
    if (step?.kind !== 'hand_over') return content;
    const { within, suggested: _suggested, ...alone } = step;
    const holder = content.steps.find((one) => one.id === within);
    if (over && holder?.kind === 'each')
      return {
        ...content,
        steps: content.steps.map((one) =>
          one === holder ? { ...holder, over } : one === step ? { ...step, suggested: undefined, mapping: {} } : one,
        ),
      };
    if (over) {
      const each: Step = { id: newStepId(content, 'each'), kind: 'each', over };
      const steps = content.steps.flatMap((one) =>
        one === step ? [each, { ...alone, within: each.id, mapping: {} }] : [one],
      );
      return { ...content, steps };
    }
    const others = content.steps.some((one) => one !== step && withinOf(one) === within);
    const steps = content.steps
      .filter((one) => one !== holder || others)
      .map((one) => (one === step ? { ...alone, mapping: {} } : one));
    return { ...content, steps };
  };

/** How the values of a source field are read from now on, wherever it is used. */
export const withReading =
  (path: string, reading: Reading) =>
  (content: WorkflowContent): WorkflowContent =>
    withStart({
      readings: { ...content.start.readings, [path]: { ...content.start.readings?.[path], ...reading } },
    })(content);

/** The last choice of a write's place worked out for each record, or always the same again. */
export const withPlaceBy =
  (id: string, formula?: Formula) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, ({ placeBy, placePart, ...step }) => {
      if (formula) return { ...step, placeBy: formula, ...(placePart !== undefined && { placePart }) };
      if (placeBy) return step;
      const name = (step.target?.path.at(-1) ?? '').replaceAll('"', '""');
      return { ...step, placeBy: { text: `"${name}"`, refs: {} } };
    })(content);

/** Another choice of a write's place worked out for each record; it begins as what it is now. */
export const withPlacePart =
  (id: string, placePart: number) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const name = (step.target?.path[placePart] ?? '').replaceAll('"', '""');
      return { ...step, placeBy: { text: `"${name}"`, refs: {} }, placePart };
    })(content);

/** What a person notes beside a field; empty takes the note away. */
export const withFieldNote =
  (id: string, path: string, note: string) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, ({ notes, ...step }) => {
      const { [path]: _old, ...others } = notes ?? {};
      const next = note === '' ? others : { ...others, [path]: note };
      return Object.keys(next).length > 0 ? { ...step, notes: next } : step;
    })(content);

/** Proposed fillings put where nothing is filled yet, marked with their reasons. */
export const withSuggestions =
  (id: string, suggestions: readonly Suggestion[]) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const open = suggestions.filter((one) => !step.mapping[one.path]);
      return {
        ...step,
        mapping: { ...step.mapping, ...Object.fromEntries(open.map((one) => [one.path, one.filling])) },
        suggested: { ...step.suggested, ...Object.fromEntries(open.map((one) => [one.path, one.reason])) },
      };
    })(content);

/** A proposal taken as it is; all of a sentence without a path. */
export const withAccepted =
  (id: string, path?: string) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const { suggested: _all, ...rest } = step;
      return path === undefined ? rest : settled(step, path);
    })(content);

/** What a person has changed, cleared or accepted isn't a proposal any more. */
function settled(step: WriteStep, path: string): WriteStep {
  const { suggested, ...rest } = step;
  const { [path]: _settled, ...left } = suggested ?? {};
  return Object.keys(left).length > 0 ? { ...rest, suggested: left } : rest;
}

/** The draft with a step that goes to another place. */
export const withTarget =
  (id: string, target: Place) =>
  (content: WorkflowContent): WorkflowContent =>
    withStep<WriteStep>(id, (step) => {
      const {
        key: _key,
        suggested: _suggested,
        ladder: _ladder,
        policies: _policies,
        otherwise: _otherwise,
        empties: _empties,
        ...rest
      } = step;
      const isSamePlace =
        step.target?.connection === target.connection && step.target.path.join() === target.path.join();
      if (isSamePlace) return { ...step, target };
      // A call described anew keeps what still fits it.
      const isCall = step.target?.described.name === 'call' && target.described.name === 'call';
      const mode = target.described.can.find && !target.described.document ? rest.mode : 'append';
      return asDraftFirst({ ...rest, mode, target, mapping: isCall ? step.mapping : {} });
    })(content);
