import { randomUUID } from 'node:crypto';

/** Time and randomness, so that tests can choose them. */
export interface Seams {
  /** The instant, as UTC ISO 8601. */
  now(): string;
  /** A new id. */
  id(): string;
  /** A number from 0 to below 1, by which pauses differ. */
  chance(): number;
  /** Milliseconds that have passed in this process: no step of the clock changes it. */
  uptime(): number;
  pause(milliseconds: number): Promise<void>;
  /** Called at every named point where a process can be stopped; does nothing in earnest. */
  reach(point: KillPoint): void;
}

/** The points around taking in, intent, send, result and file replacement at which a test can stop the process. */
export const killPoints = [
  'account:after-store',
  'go-live:after-store',
  'consent:after-store',
  'gathered:after-store',
  'take-in:before-store',
  'take-in:after-store',
  'intent:before-store',
  'intent:after-store',
  'send:before',
  'send:after',
  'result:before-store',
  'result:after-store',
  'read-back:after',
  'outcome:after-store',
  'claim:after-store',
  'decision:after-store',
  'arrival:before-store',
  'arrival:after-store',
  'hand-in:after-take',
  'hand-in:after-put-away',
  'park:after-store',
  'park:after-wake',
  'ask:after-answer',
  'ask:after-letter',
  'ask:after-mail',
  'take-over:after-store',
  'hand-over:before-store',
  'hand-over:after-piece',
  'hand-over:after-store',
  'ending:after-store',
  'returned:after-store',
  'take-back:after-store',
  'take-back:after-send',
  'take-back:before-result',
  'in-step:after-take-over',
  'in-step:after-live',
  'undo:after-begin',
  'undo:after-record',
  'file:before-record',
  'file:after-record',
  'file:after-put',
  'document:after-reserve',
  'document:after-put',
  'document:after-swap',
  'repair:after-live',
  'repair:after-run',
  'folder:before-rename',
  'folder:after-rename',
  'webdav:before-put',
  'webdav:after-put',
] as const;
export type KillPoint = (typeof killPoints)[number];

/** The real clock and real randomness. */
export const realSeams: Seams = {
  now: () => new Date().toISOString(),
  id: () => randomUUID(),
  chance: () => Math.random(),
  uptime: () => performance.now(),
  pause: (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds)),
  reach: () => undefined,
};
