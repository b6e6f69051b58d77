/** One thing that is otherwise in a later version, as a sentence. */
export interface Change {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly text: string;
}

export const added = (text: string): Change => ({ kind: 'added', text });
export const removed = (text: string): Change => ({ kind: 'removed', text });
export const changed = (text: string): Change => ({ kind: 'changed', text });
