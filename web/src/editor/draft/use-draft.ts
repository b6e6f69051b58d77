import type { WorkflowContent } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useState, useSyncExternalStore } from 'react';
import { call } from '../../api/client.ts';
import type { Workflow } from '../../api/queries.ts';
import { DraftSaver, type SaveState } from './saver.ts';

/** A draft under the hand: every change saves itself; what isn't saved yet survives a reload. */
export interface Draft {
  readonly content: WorkflowContent;
  readonly state: SaveState;
  change(next: (content: WorkflowContent) => WorkflowContent): void;
  undo(): void;
  redo(): void;
  readonly canUndo: boolean;
  readonly canRedo: boolean;
  /** Resolves when all is saved. */
  flush(): Promise<void>;
  /** After a conflict: take what was saved elsewhere, or save this one over it. */
  resolve(choice: 'theirs' | 'mine'): void;
}

/** How many changes can be undone. */
const undoable = 100;

/** The draft of a workflow for as long as its pages are shown: saved by itself, undone step by step. */
export function useDraft(workflow: Workflow): Draft {
  const client = useQueryClient();
  const [saver] = useState(
    () =>
      new DraftSaver(workflow, {
        id: workflow.id,
        storage: {
          getItem: (name) => localStorage.getItem(name),
          setItem: (name, value) => localStorage.setItem(name, value),
          removeItem: (name) => localStorage.removeItem(name),
        },
        send: async (content, rev) => {
          const now = await call('PUT /api/workflows/:id/draft', {
            params: { id: workflow.id },
            body: { content, rev },
          });
          client.setQueryData(['workflow', workflow.id], now);
          return now;
        },
      }),
  );
  const content = useSyncExternalStore(saver.subscribe, () => saver.content);
  const state = useSyncExternalStore(saver.subscribe, () => saver.state);
  const [past, setPast] = useState<readonly WorkflowContent[]>([]);
  const [future, setFuture] = useState<readonly WorkflowContent[]>([]);

  const change = useCallback(
    (next: (content: WorkflowContent) => WorkflowContent) => {
      const before = saver.content;
      setPast((all) => [...all.slice(1 - undoable), before]);
      setFuture([]);
      saver.put(next(before));
    },
    [saver],
  );

  useEffect(() => saver.heard(workflow), [saver, workflow]);
  useEffect(() => {
    // Where neither the server nor this machine holds it, the browser asks before it lets go.
    const hold = (event: BeforeUnloadEvent): void => {
      if (saver.wouldBeLost) event.preventDefault();
    };
    window.addEventListener('beforeunload', hold);
    return () => {
      window.removeEventListener('beforeunload', hold);
      void saver.flush();
    };
  }, [saver]);

  return {
    content,
    state,
    change,
    canUndo: past.length > 0,
    canRedo: future.length > 0,
    undo: () => {
      const before = past.at(-1);
      if (!before) return;
      setPast(past.slice(0, -1));
      setFuture([saver.content, ...future]);
      saver.put(before);
    },
    redo: () => {
      const [after, ...rest] = future;
      if (!after) return;
      setFuture(rest);
      setPast([...past, saver.content]);
      saver.put(after);
    },
    flush: saver.flush,
    resolve: (choice) => saver.resolve(choice),
  };
}
