import { createHash } from 'node:crypto';
import { z } from 'zod';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Seams } from '../seams.ts';
import { loadSettings, readSetting, writeSetting } from '../settings.ts';

const ProofSchema = z.object({ address: z.string(), at: z.string(), trouble: z.string().nullable() });
/** What is known of the public address: when it was called last, and what was wrong then. */
export type Proof = z.infer<typeof ProofSchema>;

/** Seconds that a call through the public address may take. */
const patience = 20;

/** Milliseconds between two looks whether others still reach the door. */
const lookEvery = 30 * 60_000;

interface Parts {
  readonly db: Db;
  readonly seams: Seams;
  /** Calls an address and gives the text that it answers. */
  readonly call: (url: string) => Promise<string>;
}

/** The address by which others reach the door, and the proof that they do: a call that goes out and comes in by it. */
export class PublicAddress {
  private readonly nonces = new Map<string, string>();
  private readonly tests = new Set<string>();
  private timer: NodeJS.Timeout | undefined;
  /** The port of the door on this machine. */
  port = 4605;

  constructor(private readonly parts: Parts) {}

  /** As it is set; '' where this machine only is meant. */
  async address(): Promise<string> {
    return (await loadSettings(this.parts.db)).publicAddress;
  }

  /** Where others reach this machine, without a path: by the public address, or on this machine only. */
  async base(db: Db | Trx = this.parts.db): Promise<string> {
    return (await loadSettings(db)).publicAddress || `http://127.0.0.1:${this.port}`;
  }

  /** Where a door is reached: by the public address, or on this machine only. */
  async urlOf(door: string): Promise<{ readonly url: string; readonly isPublic: boolean }> {
    const address = await this.address();
    return { url: `${await this.base()}/in/${door}`, isPublic: address !== '' };
  }

  /** What the last call through it came to; undefined where there was none. */
  async proof(): Promise<Proof | undefined> {
    const proof = await readSetting(this.parts.db, 'public-address', ProofSchema);
    return proof && proof.address === (await this.address()) ? proof : undefined;
  }

  /** What is wrong with it, as a sentence for Today; null where nothing is, or none is set. */
  async trouble(): Promise<string | null> {
    const proof = await this.proof();
    return proof?.trouble ? `Nothing can be posted by the public address ${proof.address}. ${proof.trouble}` : null;
  }

  /** Calls the door through it from time to time; what has changed is told. */
  watch(told: () => void): void {
    const look = async (): Promise<void> => {
      if ((await this.address()) === '') return;
      const before = await this.trouble();
      await this.prove();
      if ((await this.trouble()) !== before) told();
    };
    this.timer = setInterval(() => void look().catch(() => undefined), lookEvery);
    this.timer.unref();
    void look().catch(() => undefined);
  }

  close(): void {
    clearInterval(this.timer);
  }

  /** Calls the door through it. @throws NotPossible where none is set */
  async prove(): Promise<Proof> {
    const { seams, db, call } = this.parts;
    const address = await this.address();
    if (address === '') throw new NotPossible('Set the public address first.');
    const [nonce, answer] = [seams.id(), seams.id()];
    this.nonces.set(nonce, answer);
    const trouble = await call(`${address}/proof/${nonce}`)
      .then((said) =>
        said.trim() === answer
          ? null
          : 'Something else answers at this address. Point it at the door of this machine (port 4605 unless it was set otherwise).',
      )
      .catch((error: unknown) => `It can’t be reached: ${error instanceof Error ? error.message : String(error)}`)
      .finally(() => this.nonces.delete(nonce));
    const proof = { address, at: seams.now(), trouble };
    await writeSetting(db, 'public-address', proof);
    return proof;
  }

  /** What is answered to a call of our own; undefined for any other. */
  answerTo(nonce: string): string | undefined {
    return this.nonces.get(nonce);
  }

  /** A mark by which an event that is sent from here is known; it holds once. */
  newTest(): string {
    const mark = `${this.parts.seams.id()}${this.parts.seams.id()}`;
    this.tests.add(digest(mark));
    return mark;
  }

  isOurTest(mark: string | undefined): boolean {
    return mark !== undefined && this.tests.delete(digest(mark));
  }
}

const digest = (text: string): string => createHash('sha256').update(text).digest('hex');

/** Calls an address by HTTPS or HTTP, without following it elsewhere. @throws Error with what went wrong */
export async function callAddress(url: string): Promise<string> {
  const answer = await fetch(url, { redirect: 'manual', signal: AbortSignal.timeout(patience * 1000) }).catch(
    (error: Error & { cause?: Error }) => {
      throw new Error(error.cause?.message ?? error.message, { cause: error });
    },
  );
  if (!answer.ok) throw new Error(`it answered with ${answer.status}.`);
  return (await answer.text()).slice(0, 1000);
}
