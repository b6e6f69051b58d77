import { createTransport } from 'nodemailer';
import type { PostStore } from './store.ts';

/** Milliseconds after which a mail that wasn't taken is tried again; and how often. */
const [pause, mostTries] = [1000, 600];

/** What came of a mail that another server refused for good. */
type OnRefused = (raw: Buffer, sender: string, recipient: string, said: string) => Promise<void>;

/**
 * Hands mails for other places over to their mail server. One that can't be reached, or says that it can't take a mail
 * now, is tried again, also after the Post room was ended meanwhile; one that refuses is told to who sent the mail.
 */
export class Outside {
  private work: Promise<void> | undefined;
  private timer: NodeJS.Timeout | undefined;
  private isClosed = false;
  /** True where a mail has come since the ones that are on their way were looked up. */
  private hasMore = false;

  /** @param routes - where the mail server of each other place listens, as host:port, by its domain */
  constructor(
    private readonly store: PostStore,
    private readonly onRefused: OnRefused,
    private readonly routes: Readonly<Record<string, string>>,
  ) {
    if (store.outgoing().length > 0) this.go();
  }

  /** True for an address that isn't the Post room's own business. */
  isFor(address: string): boolean {
    return this.routeOf(address) !== undefined;
  }

  private routeOf(address: string): string | undefined {
    const domain = address.split('@').at(-1)?.toLowerCase() ?? '';
    return Object.hasOwn(this.routes, domain) ? this.routes[domain] : undefined;
  }

  put(raw: Buffer, sender: string, recipient: string): void {
    this.store.addOutgoing(raw, sender, recipient);
    this.hasMore = true;
    this.go();
  }

  /** Resolves when nothing is on its way that could be handed over now. */
  async settled(): Promise<void> {
    while (this.work) await this.work;
  }

  close(): void {
    this.isClosed = true;
    clearTimeout(this.timer);
  }

  /** Tries now what waits for another try. */
  async again(): Promise<void> {
    await this.settled();
    if (this.store.outgoing().length > 0) this.go();
    await this.settled();
  }

  private go(): void {
    if (this.work || this.isClosed) return;
    clearTimeout(this.timer);
    this.work = this.handOver().finally(() => {
      this.work = undefined;
      if (this.store.isOpen && this.store.outgoing().length > 0 && !this.isClosed)
        this.timer = setTimeout(() => this.go(), pause).unref();
    });
  }

  private async handOver(): Promise<void> {
    do {
      this.hasMore = false;
      await this.handOverOnce();
    } while (this.hasMore && !this.isClosed);
  }

  private async handOverOnce(): Promise<void> {
    for (const { id, raw, sender, recipient, tries } of this.store.outgoing()) {
      if (this.isClosed) return;
      const [host = '127.0.0.1', port = '25'] = (this.routeOf(recipient) ?? '').split(':');
      const transport = createTransport({
        host,
        port: Number(port),
        secure: false,
        ignoreTLS: true,
        name: 'mx.post-room.example',
      });
      try {
        await transport.sendMail({ envelope: { from: sender, to: [recipient] }, raw });
        this.store.removeOutgoing(id);
      } catch (error) {
        const { responseCode = 0, message } = error as Error & { responseCode?: number };
        if (responseCode < 500 && tries < mostTries) this.store.countTry(id);
        else {
          this.store.removeOutgoing(id);
          await this.onRefused(raw, sender, recipient, message);
        }
      } finally {
        transport.close();
      }
    }
  }
}
