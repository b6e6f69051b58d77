import { RateLimited } from '../errors.ts';

/** Milliseconds that a request waits at the gate; a longer pause is told to whoever asks. */
const patience = 5000;
/** Milliseconds of the first pause where the app doesn't say how long; each one after that is twice as long. */
const firstPause = 500;
const longestPause = 60_000;

/**
 * Holds the requests of one connection back while the app asks to slow down: one answer of 429
 * closes the gate for all, for as long as Retry-After says, else for growing, jittered times.
 */
export class RateGate {
  private until = 0;
  private refusals = 0;

  /** Waits while the gate is closed. @throws RateLimited when that would be long */
  async pass(app: string): Promise<void> {
    for (let left = this.left(); left > 0; left = this.left()) {
      if (left > patience) throw new RateLimited(`${app} asks for fewer requests.`, left);
      await new Promise((resolve) => setTimeout(resolve, left));
    }
  }

  close(retryAfter: number | undefined): void {
    this.refusals = this.left() > 0 ? this.refusals : this.refusals + 1;
    const grown = Math.min(longestPause, firstPause * 2 ** Math.min(10, this.refusals - 1));
    const wait = retryAfter ?? grown * (0.75 + Math.random() / 2);
    this.until = Math.max(this.until, performance.now() + wait);
  }

  /** A request was answered: the next refusal begins with a short pause again. */
  calm(): void {
    this.refusals = 0;
  }

  isClosedForLong(): boolean {
    return this.left() > patience;
  }

  private left(): number {
    return this.until - performance.now();
  }
}
