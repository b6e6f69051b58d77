/** One thing that is otherwise in a later version, as a sentence. */
export interface Change {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly text: string;
}

/** Something that is new in a version, as a sentence. */
export const added = (text: string): Change => ({ kind: 'added', text });
/** Something that is gone in a version, as a sentence. */
export const removed = (text: string): Change => ({ kind: 'removed', text });
/** Something that is otherwise in a version, as a sentence. */
export const changed = (text: string): Change => ({ kind: 'changed', text });
