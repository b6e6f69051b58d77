/** What undoing would do with one record of a run. */
export const undoKinds = [
  /** All that it wrote goes back. */
  'back',
  /** It goes back, but something else has been made of it since. */
  'used',
  /** What it wrote goes back; what it sent to somebody stays sent. */
  'sent',
  /** Somebody changed it since: it stays. */
  'changed',
  /** What was changed is gone there: there is nothing to give its former values to. */
  'gone',
  /** All that it did was to send something to somebody. */
  'only_sent',
  /** It isn't known what was written, it was written in another account, or its app removes nothing. */
  'cannot',
  /** It is still on its way or waits. */
  'open',
  /** It wrote nothing. */
  'nothing',
] as const;
export type UndoKind = (typeof undoKinds)[number];

/** What else a person may want undone. */
export interface UndoWish {
  /** Also what something else has been made of since. */
  readonly used: boolean;
  /** Also what has gone out to somebody: that stays sent. */
  readonly sent: boolean;
}

/** Whether a record goes back by what a person wants. */
export function goesBack(kind: UndoKind, wish: UndoWish): boolean {
  return kind === 'back' || (kind === 'used' && wish.used) || (kind === 'sent' && wish.sent);
}
