/** Something a screen may be showing has changed. */
export interface ChangeEvent {
  readonly topic:
    | 'door'
    | 'workflow'
    | 'run'
    | 'item'
    | 'rehearsal'
    | 'connection'
    | 'duplicates'
    | 'reconcile'
    | 'undo'
    | 'workspace';
  readonly workflow?: string;
  readonly id?: string;
  /** For long work: how far it is. */
  readonly done?: number;
}

/** Tells listeners what changed; knows nothing of who listens. */
export class Events {
  private readonly listeners = new Set<(event: ChangeEvent) => void>();

  tell(event: ChangeEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  listen(listener: (event: ChangeEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}
