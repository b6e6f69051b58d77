import { mergeDrafts, ofToday, type WorkflowContent } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { type ApiProblem, call } from '../../api/client.ts';
import type { Workflow } from '../../api/queries.ts';

/** How the draft stands towards the server. */
export type SaveState =
  | { readonly kind: 'saved'; readonly at: string }
  | { readonly kind: 'saving' }
  | { readonly kind: 'unsaved'; readonly message: string }
  | { readonly kind: 'conflict'; readonly content: WorkflowContent; readonly rev: number };

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

const patience = 400;
const retryAfter = 2000;
const keptName = (id: string): string => `golden-draft-${id}`;

interface Kept {
  readonly rev: number;
  readonly content: WorkflowContent;
}

export function useDraft(workflow: Workflow): Draft {
  const client = useQueryClient();
  const [content, setContent] = useState(() => readKept(workflow) ?? workflow.content);
  const [state, setState] = useState<SaveState>({ kind: 'saved', at: workflow.savedAt });
  const [past, setPast] = useState<readonly WorkflowContent[]>([]);
  const [future, setFuture] = useState<readonly WorkflowContent[]>([]);
  const rev = useRef(workflow.rev);
  const latest = useRef(content);
  const saved = useRef(workflow.content);
  const savedAt = useRef(workflow.savedAt);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const saving = useRef<Promise<void> | undefined>(undefined);

  const save = useCallback(async (): Promise<void> => {
    clearTimeout(timer.current);
    // One after the other: two that waited for the same one would send the same revision.
    while (saving.current) await saving.current;
    if (latest.current === saved.current) {
      // Undone to what is saved already: nothing to send.
      setState((now) => (now.kind === 'saving' ? { kind: 'saved', at: savedAt.current } : now));
      return;
    }
    const sent = latest.current;
    setState({ kind: 'saving' });
    saving.current = call('PUT /api/workflows/:id/draft', {
      params: { id: workflow.id },
      body: { content: sent, rev: rev.current },
    })
      .then((now) => {
        rev.current = now.rev;
        saved.current = sent;
        if (latest.current === sent) localStorage.removeItem(keptName(workflow.id));
        client.setQueryData(['workflow', workflow.id], now);
        savedAt.current = now.savedAt;
        setState({ kind: latest.current === sent ? 'saved' : 'saving', at: now.savedAt });
      })
      .catch((error: ApiProblem) => {
        if (error.kind === 'draft-conflict') {
          const theirs = error.more['content'] as WorkflowContent;
          const merged = mergeDrafts(saved.current, latest.current, theirs);
          if (!merged.ok) {
            setState({ kind: 'conflict', content: theirs, rev: Number(error.more['rev']) });
            return;
          }
          // Each window changed something else: both are kept, and saved as one.
          rev.current = Number(error.more['rev']);
          saved.current = theirs;
          latest.current = merged.content;
          setContent(merged.content);
          timer.current = setTimeout(() => void save(), 0);
          return;
        }
        setState({ kind: 'unsaved', message: error.message });
        timer.current = setTimeout(() => void save(), retryAfter);
      })
      .finally(() => {
        saving.current = undefined;
      });
    await saving.current;
  }, [client, workflow.id]);

  const put = useCallback(
    (next: WorkflowContent) => {
      latest.current = next;
      setContent(next);
      // Until it is on the server, what depends on the saved draft (samples, counts) has to wait.
      setState((now) => (now.kind === 'saved' ? { kind: 'saving' } : now));
      localStorage.setItem(keptName(workflow.id), JSON.stringify({ rev: rev.current, content: next } satisfies Kept));
      clearTimeout(timer.current);
      timer.current = setTimeout(() => void save(), patience);
    },
    [save, workflow.id],
  );

  const change = useCallback(
    (next: (content: WorkflowContent) => WorkflowContent) => {
      const before = latest.current;
      setPast((all) => [...all.slice(-99), before]);
      setFuture([]);
      put(next(before));
    },
    [put],
  );

  // What a crash left behind unsaved is saved now; what another window saved is shown when nothing is open here.
  useEffect(() => {
    if (latest.current !== saved.current && rev.current === workflow.rev) void save();
    else if (workflow.rev > rev.current && latest.current === saved.current && !saving.current) {
      rev.current = workflow.rev;
      saved.current = workflow.content;
      latest.current = workflow.content;
      setContent(workflow.content);
      setState({ kind: 'saved', at: workflow.savedAt });
    }
  }, [workflow, save]);

  useEffect(() => () => void save(), [save]);

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
      setFuture([latest.current, ...future]);
      put(before);
    },
    redo: () => {
      const [after, ...rest] = future;
      if (!after) return;
      setFuture(rest);
      setPast([...past, latest.current]);
      put(after);
    },
    flush: save,
    resolve: (choice) => {
      if (state.kind !== 'conflict') return;
      rev.current = state.rev;
      saved.current = state.content;
      if (choice === 'theirs') {
        latest.current = state.content;
        setContent(state.content);
        localStorage.removeItem(keptName(workflow.id));
        setState({ kind: 'saved', at: workflow.savedAt });
      } else void save();
    },
  };
}

/** A draft that could not be saved before the page went away, when nobody saved another since. */
function readKept(workflow: Workflow): WorkflowContent | undefined {
  try {
    const kept = JSON.parse(localStorage.getItem(keptName(workflow.id)) ?? 'null') as Kept | null;
    return kept && kept.rev === workflow.rev ? (ofToday(kept.content) as WorkflowContent) : undefined;
  } catch {
    return undefined;
  }
}
