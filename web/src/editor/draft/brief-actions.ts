import {
  duplicateStep,
  moveStep,
  newProblems,
  newStepId,
  type ReadinessProblem,
  type StepKind,
  standingWithin,
  startId,
  stepKinds,
  type WorkflowContent,
  withinAfter,
} from '@golden/core';
import { useState } from 'react';
import { toast } from 'sonner';
import { withNewStep, withoutStep, withStart, withStep } from './edits.ts';
import type { Draft } from './use-draft.ts';

/** What can be done with the sentences of a brief. */
export interface BriefActions {
  add(kind: StepKind, after: string | undefined): void;
  move(id: string, by: -1 | 1): void;
  duplicate(id: string): void;
  toggle(id: string): void;
  remove(id: string): void;
  note(id: string, note: string): void;
  rename(id: string, name: string): void;
  /** The note on the whole workflow. */
  noteWhole(note: string): void;
  /** Asks which sentence comes after this one. */
  addAfter(id: string): void;
  /** True while that is asked, behind the chosen sentence. */
  readonly isAdding: boolean;
  stopAdding(): void;
  tryAlone(id: string | undefined): void;
  /** The sentence being tried. */
  readonly trying: string | undefined;
  /** What a move that is asked for would break. */
  readonly breaking: readonly ReadinessProblem[] | undefined;
  decideMove(isWanted: boolean): void;
}

/** Changes of the brief; each can be undone. */
export function useBriefActions(draft: Draft, chosen: string, choose: (id: string) => void): BriefActions {
  const [trying, setTrying] = useState<string>();
  const [addingAfter, setAddingAfter] = useState<string>();
  const [move, setMove] = useState<{ content: WorkflowContent; problems: readonly ReadinessProblem[] }>();
  const { content } = draft;
  const isStep = (id: string | undefined): id is string => content.steps.some((step) => step.id === id);
  return {
    trying,
    breaking: move?.problems,
    add: (kind, after) => {
      const id = newStepId(content, kind);
      const before = content.steps.find((one) => one.id === after);
      // After a "for each", or after what stands within it, a new sentence stands within it as well.
      const step = standingWithin(stepKinds[kind].make(id), before && withinAfter(before));
      setAddingAfter(undefined);
      draft.change(withNewStep(step, after));
      choose(id);
    },
    move: (id, by) => {
      const at = content.steps.findIndex((step) => step.id === id);
      if (at < 0 || at + by < 0 || at + by >= content.steps.length) return;
      const moved = moveStep(content, id, at + by);
      const problems = newProblems(content, moved);
      if (problems.length > 0) setMove({ content: moved, problems });
      else draft.change(() => moved);
    },
    decideMove: (isWanted) => {
      if (isWanted && move) draft.change(() => move.content);
      setMove(undefined);
    },
    duplicate: (id) => {
      if (!isStep(id)) return;
      const doubled = duplicateStep(content, id);
      draft.change(() => doubled.content);
      choose(doubled.id);
    },
    toggle: (id) => {
      if (isStep(id)) draft.change(withStep(id, (step) => ({ ...step, isOff: !step.isOff })));
    },
    remove: (id) => {
      if (!isStep(id)) return;
      draft.change(withoutStep(id));
      toast('Removed. Undo brings it back.', { action: { label: 'Undo', onClick: draft.undo } });
      if (id === chosen) choose(startId);
    },
    note: (id, given) => {
      const note = given.trim() || undefined;
      draft.change(id === startId ? withStart({ note }) : withStep(id, (step) => ({ ...step, note })));
    },
    noteWhole: (given) => draft.change((before) => ({ ...before, note: given.trim() || undefined })),
    rename: (id, given) => draft.change(withStep(id, (step) => ({ ...step, name: given.trim() || undefined }))),
    isAdding: addingAfter !== undefined && addingAfter === chosen,
    addAfter: (id) => {
      setAddingAfter(id);
      choose(id);
    },
    stopAdding: () => setAddingAfter(undefined),
    tryAlone: (id) => setTrying(isStep(id) ? id : undefined),
  };
}
