import type { QueryClient } from '@tanstack/react-query';

/** Milliseconds until it is looked again whether what was on its way has come. */
const pause = 50;

/**
 * Reads anew what changed, without ever cancelling an answer that is on its way: one that takes longer
 * than the time between two changes would never come. What changed meanwhile is read once more
 * afterwards, so that what is shown last is what there is.
 */
export class Refresher {
  private readonly underWay = new Set<string>();
  private readonly again = new Set<string>();

  constructor(private readonly client: Pick<QueryClient, 'invalidateQueries' | 'isFetching'>) {}

  /** Something under this name has changed. */
  changed(name: string): void {
    if (this.underWay.has(name)) {
      this.again.add(name);
      return;
    }
    // What is being read already, for a page that has just opened, may have been read before the change.
    if (this.client.isFetching({ queryKey: [name] }) > 0) this.again.add(name);
    this.underWay.add(name);
    void this.client
      .invalidateQueries({ queryKey: [name] }, { cancelRefetch: false })
      .catch(() => undefined)
      .finally(() => {
        this.underWay.delete(name);
        if (!this.again.delete(name)) return;
        // What nobody shows any more may still be on its way: nothing waits for that, and its answer only comes
        // when the page is let go on.
        if (this.client.isFetching({ queryKey: [name] }) > 0) setTimeout(() => this.changed(name), pause);
        else this.changed(name);
      });
  }

  /** Anything may have changed: the stream of changes was lost for a while. */
  all(): void {
    void this.client.invalidateQueries({}, { cancelRefetch: false });
  }
}
