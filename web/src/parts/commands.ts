import { useEffect, useSyncExternalStore } from 'react';

/** Something that can be done, gone to or found by name. */
export interface Command {
  readonly id: string;
  readonly group: 'Do' | 'Go to' | 'Find';
  readonly text: string;
  /** What tells it from others of the same name, such as where it stands. */
  readonly hint?: string;
  /** How it is done by keyboard, as people read it. */
  readonly keys?: string;
  readonly run: () => void;
}

const offered = new Map<string, readonly Command[]>();
const listeners = new Set<() => void>();
let all: readonly Command[] = [];

function publish(): void {
  all = [...offered.values()].flat();
  for (const listener of listeners) listener();
}

/** Offers commands in the palette for as long as the component is shown. */
export function useOffer(owner: string, commands: readonly Command[]): void {
  useEffect(() => {
    offered.set(owner, commands);
    publish();
    return () => {
      offered.delete(owner);
      publish();
    };
  }, [owner, commands]);
}

/** All commands on offer now. */
export function useOffered(): readonly Command[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => all,
  );
}
