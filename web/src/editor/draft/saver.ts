import { mergeDrafts, ofToday, type WorkflowContent } from '@golden/core';
import { ApiProblem } from '../../api/client.ts';

/** How the draft stands towards the server. */
export type SaveState =
  | { readonly kind: 'saved'; readonly at: string }
  | { readonly kind: 'saving' }
  /** Not on the server; `isKept` when this machine holds it, so that closing the window loses nothing. */
  | { readonly kind: 'unsaved'; readonly message: string; readonly isKept: boolean }
  | { readonly kind: 'conflict'; readonly content: WorkflowContent; readonly rev: number };

/** A draft as the server has it. */
export interface SavedDraft {
  readonly content: WorkflowContent;
  readonly rev: number;
  readonly savedAt: string;
}

interface Kept {
  readonly rev: number;
  readonly content: WorkflowContent;
}

/** What the saver needs of the world around it. */
export interface SaverOptions {
  readonly id: string;
  /** Sends a draft over the revision it came from; an `ApiProblem` when that can't be. */
  readonly send: (content: WorkflowContent, rev: number) => Promise<SavedDraft>;
  /** Where what isn't saved yet survives a reload. It may be full, or refuse. */
  readonly storage: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'>;
  /** After how many milliseconds without a change it is sent, and after how many a failed one is sent again. */
  readonly patience?: number;
  readonly retryAfter?: number;
}

/**
 * Saves one draft: every change is kept on this machine at once and sent to the server when the person
 * pauses. A server that can't be reached is asked again; a storage that is full changes nothing about
 * what is sent, it is only told. Changes of two windows are merged where they touch different things,
 * else the person chooses. One change is sent at a time, each over the revision before it.
 */
export class DraftSaver {
  content: WorkflowContent;
  state: SaveState;
  private rev: number;
  private saved: WorkflowContent;
  private savedAt: string;
  private isKept = true;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private saving: Promise<void> | undefined;
  private readonly listeners = new Set<() => void>();
  private readonly patience: number;
  private readonly retryAfter: number;

  constructor(
    server: SavedDraft,
    private readonly options: SaverOptions,
  ) {
    this.patience = options.patience ?? 400;
    this.retryAfter = options.retryAfter ?? 2000;
    this.rev = server.rev;
    this.saved = server.content;
    this.savedAt = server.savedAt;
    this.content = this.readKept() ?? server.content;
    this.state = this.isSaved ? { kind: 'saved', at: server.savedAt } : { kind: 'saving' };
  }

  /** Tells of each new content or state; gives the end of it. */
  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Another content under the hand: kept at once, sent after a pause. */
  put(content: WorkflowContent): void {
    this.content = content;
    this.keep();
    // Until it is on the server, what depends on the saved draft (samples, counts) has to wait.
    if (this.state.kind === 'saved') this.state = { kind: 'saving' };
    else if (this.state.kind === 'unsaved') this.state = { ...this.state, isKept: this.isKept };
    this.later(this.patience);
    this.tell();
  }

  /** Saves what isn't saved; resolves when the server has answered. */
  readonly flush = async (): Promise<void> => {
    clearTimeout(this.timer);
    // One after the other: two that waited for the same one would send the same revision.
    while (this.saving) await this.saving;
    if (this.state.kind === 'conflict') return;
    if (this.isSaved) {
      // Undone to what is saved already: nothing to send.
      if (this.state.kind !== 'saved') this.become({ kind: 'saved', at: this.savedAt });
      return;
    }
    this.become({ kind: 'saving' });
    const sent = this.content;
    this.saving = this.options
      .send(sent, this.rev)
      .then(
        (now) => this.arrived(sent, now),
        (error: unknown) => this.failed(error),
      )
      .finally(() => {
        this.saving = undefined;
      });
    await this.saving;
  };

  /** The server has a newer one: taken when nothing is open here, and what a crash left behind is saved. */
  heard(server: SavedDraft): void {
    if (!this.isSaved && server.rev === this.rev && this.state.kind !== 'conflict') void this.flush();
    else if (server.rev > this.rev && this.isSaved && !this.saving) this.take(server);
  }

  /** After a conflict: take what was saved elsewhere, or save this one over it. */
  resolve(choice: 'theirs' | 'mine'): void {
    if (this.state.kind !== 'conflict') return;
    const { content, rev } = this.state;
    if (choice === 'theirs') {
      this.take({ content, rev, savedAt: this.savedAt });
      return;
    }
    this.rev = rev;
    this.saved = content;
    this.state = { kind: 'saving' };
    this.keep();
    void this.flush();
  }

  /** True when a closed window would lose what was typed. */
  get wouldBeLost(): boolean {
    return !this.isSaved && !this.isKept;
  }

  private get isSaved(): boolean {
    return this.content === this.saved;
  }

  private arrived(sent: WorkflowContent, now: SavedDraft): void {
    this.rev = now.rev;
    this.saved = sent;
    this.savedAt = now.savedAt;
    if (this.isSaved) this.forget();
    else this.keep();
    this.become(this.isSaved ? { kind: 'saved', at: now.savedAt } : { kind: 'saving' });
  }

  private failed(error: unknown): void {
    if (error instanceof ApiProblem && error.kind === 'draft-conflict') {
      const theirs = error.more['content'] as WorkflowContent;
      const rev = Number(error.more['rev']);
      const merged = mergeDrafts(this.saved, this.content, theirs);
      if (!merged.ok) {
        this.become({ kind: 'conflict', content: theirs, rev });
        return;
      }
      // Each window changed something else: both are kept, and saved as one.
      this.rev = rev;
      this.saved = theirs;
      this.content = merged.content;
      this.keep();
      this.later(0);
      this.tell();
      return;
    }
    const message = error instanceof Error ? error.message : String(error);
    this.become({ kind: 'unsaved', message, isKept: this.isKept });
    this.later(this.retryAfter);
  }

  private take(server: SavedDraft): void {
    this.rev = server.rev;
    this.saved = server.content;
    this.savedAt = server.savedAt;
    this.content = server.content;
    this.forget();
    this.become({ kind: 'saved', at: server.savedAt });
  }

  private later(after: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), after);
  }

  private become(state: SaveState): void {
    this.state = state;
    this.tell();
  }

  private tell(): void {
    for (const listener of this.listeners) listener();
  }

  private get name(): string {
    return `golden-draft-${this.options.id}`;
  }

  private keep(): void {
    try {
      this.options.storage.setItem(this.name, JSON.stringify({ rev: this.rev, content: this.content } satisfies Kept));
      this.isKept = true;
    } catch {
      // Full, or switched off: the server is the only one that keeps it, and the person is told.
      this.isKept = false;
    }
  }

  private forget(): void {
    this.isKept = true;
    try {
      this.options.storage.removeItem(this.name);
    } catch {
      // What can't be reached holds nothing that would be taken for newer: its revision is older.
    }
  }

  /** A draft that could not be saved before the page went away, when nobody saved another since. */
  private readKept(): WorkflowContent | undefined {
    try {
      const kept = JSON.parse(this.options.storage.getItem(this.name) ?? 'null') as Kept | null;
      return kept && kept.rev === this.rev ? (ofToday(kept.content) as WorkflowContent) : undefined;
    } catch {
      return undefined;
    }
  }
}
