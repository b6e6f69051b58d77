import { type KillPoint, realSeams, type Seams } from '../seams.ts';

/**
 * The clock of a test: it goes as the real one does, and can be put on. Time that passes moves both
 * the clock and what has passed in the process; a step of the clock moves only the former.
 */
export class TestClock implements Seams {
  private passed = 0;
  private stepped = 0;
  /** Called at every named point. */
  onReach: (point: KillPoint) => void = () => undefined;

  now(): string {
    return new Date(Date.now() + this.passed + this.stepped).toISOString();
  }
  uptime(): number {
    return performance.now() + this.passed;
  }
  id(): string {
    return realSeams.id();
  }
  chance(): number {
    return 0.5;
  }
  /** Nobody waits in earnest, but what else is under way gets its turn. */
  pause(): Promise<void> {
    return new Promise((resolve) => setTimeout(resolve, 5));
  }
  reach(point: KillPoint): void {
    this.onReach(point);
  }

  /** The clock of the process that follows, at the same moment. */
  next(): TestClock {
    const clock = new TestClock();
    clock.passed = this.passed;
    clock.stepped = this.stepped;
    return clock;
  }

  /** Lets time pass at once. */
  pass(milliseconds: number): void {
    this.passed += milliseconds;
  }

  /** Somebody puts the clock forth or back. */
  step(milliseconds: number): void {
    this.stepped += milliseconds;
  }
}
