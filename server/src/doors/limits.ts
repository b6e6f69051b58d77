import { RateLimiterMemory, RateLimiterRes } from 'rate-limiter-flexible';

// How much may come, so that nobody can keep the server busy: by the address it comes from and by the door.

/** Fifty a second for a minute have to be kept (the bar of the job); twice as many may come for ten seconds. */
const [perDoor, perAddress, seconds] = [1000, 1000, 10];
/** Addresses of doors that aren't there, tried from one machine in a minute: nobody guesses one. */
const unknownPerMinute = 30;

/** Counts what comes in, in the memory of this process. */
export class DoorLimits {
  private readonly doors: RateLimiterMemory;
  private readonly addresses: RateLimiterMemory;
  private readonly strangers: RateLimiterMemory;

  /** @param times - how many times as much as usual may come */
  constructor(times = 1) {
    this.doors = new RateLimiterMemory({ points: perDoor * times, duration: seconds });
    this.addresses = new RateLimiterMemory({ points: perAddress * times, duration: seconds });
    this.strangers = new RateLimiterMemory({ points: unknownPerMinute * times, duration: 60 });
  }

  /** Seconds to wait where somebody has sent too much; undefined where it may come in. */
  async wait(from: string, door: string): Promise<number | undefined> {
    return (await taken(this.addresses, from)) ?? (await taken(this.doors, door));
  }

  /** The same for a door that isn't there. */
  strange(from: string): Promise<number | undefined> {
    return taken(this.strangers, from);
  }
}

/** Takes one of what a limiter still has for a key; gives the seconds to wait where it has none. */
export async function taken(limiter: RateLimiterMemory, key: string): Promise<number | undefined> {
  try {
    await limiter.consume(key);
    return undefined;
  } catch (refused) {
    if (refused instanceof RateLimiterRes) return Math.max(1, Math.ceil(refused.msBeforeNext / 1000));
    throw refused;
  }
}
