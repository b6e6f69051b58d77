import { type Effect, keyText, stepById, type Target, type WorkflowVersion } from '@golden/core';
import type { WriteRow } from '../db/schema.ts';
import { writeOf } from './intents.ts';
import type { PlaceLocks } from './locks.ts';

/** What a step holds of its place, so that two look-alikes side by side never both find nobody. */
export interface Hold {
  readonly place: string;
  /** One key of the place; the whole of it where a ladder may end in a new record, for likeness has no key. */
  readonly key?: string;
}

const placeName = (target: Pick<Target, 'connection' | 'path'>): string =>
  `${target.connection}|${target.path.join('/')}`;

/** What has to be held from an effect on until the result of its step is stored. */
export function holdOf({ content }: WorkflowVersion, effect: Effect): Hold | undefined {
  if (effect.kind === 'find') return { place: placeName(effect.target), key: keyText(effect.by.value) };
  if (effect.kind !== 'match' && effect.kind !== 'fetch') return undefined;
  return makesByLadder(content, effect.step) ? { place: placeName(effect.target) } : undefined;
}

/** The same for a write that an earlier try may have sent, and that may be sent again. */
export function holdOfIntent({ content }: WorkflowVersion, row: WriteRow): Hold | undefined {
  const write = writeOf(row);
  if (write.kind !== 'create') return undefined;
  if (makesByLadder(content, row.step)) return { place: placeName(write.target) };
  return write.key ? { place: placeName(write.target), key: keyText(write.key.value) } : undefined;
}

function makesByLadder(content: WorkflowVersion['content'], stepId: string): boolean {
  const step = stepById(content, stepId);
  if (step?.kind === 'write') return step.ladder !== undefined;
  return step?.kind === 'lookup' && step.ladder.atNone === 'create';
}

/** The one lock that an item holds at a time: from a step's lookup until its result is stored. */
export class StepLock {
  private held: { readonly name: string; readonly step: string; readonly release: () => void } | undefined;

  constructor(private readonly places: PlaceLocks) {}

  /** True while something is held for this very step. */
  holds(step: string): boolean {
    return this.held?.step === step;
  }

  /** Lets go of what another step held, and waits for what this one needs, where it needs any. */
  async holdFor(step: string, hold: Hold | undefined): Promise<void> {
    const name = hold && `${hold.place}\n${hold.key ?? ''}`;
    if (this.held && (this.held.step !== step || (name !== undefined && this.held.name !== name))) this.release();
    if (!hold || name === undefined || this.held) return;
    const release = await (hold.key === undefined
      ? this.places.takePlace(hold.place)
      : this.places.takeKey(hold.place, hold.key));
    this.held = { name, step, release };
  }

  release(): void {
    this.held?.release();
    this.held = undefined;
  }
}
