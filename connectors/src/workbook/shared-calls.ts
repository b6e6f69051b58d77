/**
 * One call at a time for each name: whoever asks while one is on its way shares the next, which begins once that
 * has ended. So nobody is given what was looked at before they asked, and a hundred who ask at once cost two calls.
 */
export class SharedCalls<T> {
  private readonly under = new Map<string, { readonly now: Promise<T>; next: Promise<T> | undefined }>();

  run(name: string, call: () => Promise<T>): Promise<T> {
    const known = this.under.get(name);
    if (!known) return this.begin(name, call);
    known.next ??= known.now.then(
      () => this.begin(name, call),
      () => this.begin(name, call),
    );
    return known.next;
  }

  private begin(name: string, call: () => Promise<T>): Promise<T> {
    const now = call();
    const one = { now, next: undefined };
    this.under.set(name, one);
    const over = (): void => {
      // With a next one it is replaced by that.
      if (this.under.get(name) === one && one.next === undefined) this.under.delete(name);
    };
    now.then(over, over);
    return now;
  }
}
