import type { WorkflowContent } from '@golden/core';
import fc from 'fast-check';
import { ApiProblem } from '../../api/client.ts';
import { DraftSaver, type SavedDraft } from './saver.ts';

const empty: WorkflowContent = {
  name: 'Customers',
  start: {
    id: 'start',
    source: null,
    on: 'added',
    trigger: { kind: 'every', minutes: 5 },
    fromWhen: { kind: 'now' },
  },
  steps: [],
} as unknown as WorkflowContent;
const named = (name: string): WorkflowContent => ({ ...empty, name });
const noted = (content: WorkflowContent, note: string): WorkflowContent => ({ ...content, note });

/** A server that keeps one draft as the real one does: a save over another revision than its own is refused. */
class Server {
  now: SavedDraft = { content: empty, rev: 1, savedAt: '2026-11-01T09:00:00Z' };
  isReachable = true;
  readonly taken: WorkflowContent[] = [];
  readonly send = async (content: WorkflowContent, rev: number): Promise<SavedDraft> => {
    await Promise.resolve();
    if (!this.isReachable) throw new ApiProblem(0, 'unreachable', 'The server can’t be reached.', {});
    if (rev !== this.now.rev) throw new ApiProblem(409, 'draft-conflict', 'Changed elsewhere.', { ...this.now });
    this.taken.push(content);
    this.now = { content, rev: rev + 1, savedAt: '2026-11-01T09:00:01Z' };
    return this.now;
  };
}

/** The browser's storage: it may be full, and then it throws as browsers do. */
class Shelf {
  readonly held = new Map<string, string>();
  isFull = false;
  getItem = (name: string): string | null => this.held.get(name) ?? null;
  removeItem = (name: string): void => void this.held.delete(name);
  setItem = (name: string, value: string): void => {
    if (this.isFull) throw new DOMException('The quota has been exceeded.', 'QuotaExceededError');
    this.held.set(name, value);
  };
}

const never = 2 ** 30;
const open = (server: Server, shelf: Shelf) =>
  new DraftSaver(server.now, { id: 'w', send: server.send, storage: shelf, patience: never, retryAfter: never });

test('what was typed reaches the server though the browser’s storage is full, and the window may close', async () => {
  const [server, shelf] = [new Server(), new Shelf()];
  shelf.isFull = true;
  const saver = open(server, shelf);
  saver.put(named('Shop customers'));
  expect(saver.wouldBeLost).toBe(true);
  await saver.flush();
  expect(server.now.content.name).toBe('Shop customers');
  expect(saver.state).toEqual({ kind: 'saved', at: '2026-11-01T09:00:01Z' });
  expect(saver.wouldBeLost).toBe(false);
});

test('with the storage full and the server gone it says that nothing keeps it; either of them back, it is kept', async () => {
  const [server, shelf] = [new Server(), new Shelf()];
  shelf.isFull = true;
  server.isReachable = false;
  const saver = open(server, shelf);
  saver.put(named('Shop customers'));
  await saver.flush();
  expect(saver.state).toMatchObject({ kind: 'unsaved', isKept: false });
  shelf.isFull = false;
  saver.put(named('Shop customers into the Ledger'));
  expect(saver.state).toMatchObject({ kind: 'unsaved', isKept: true });
  // The window is closed and opened again.
  server.isReachable = true;
  const next = open(server, shelf);
  expect(next.content.name).toBe('Shop customers into the Ledger');
  next.heard(server.now);
  await next.flush();
  expect(server.now.content.name).toBe('Shop customers into the Ledger');
  expect(shelf.held.size).toBe(0);
});

test('two windows that change different things lose nothing; the same thing is asked, and either answer stands', async () => {
  const [server, shelf] = [new Server(), new Shelf()];
  const [one, other] = [open(server, shelf), open(server, new Shelf())];
  other.put(noted(empty, 'For the trade accounts'));
  await other.flush();
  one.put(named('Trade customers'));
  await one.flush();
  await one.flush();
  expect(server.now.content).toMatchObject({ name: 'Trade customers', note: 'For the trade accounts' });
  other.put({ ...other.content, name: 'Schools' });
  await other.flush();
  expect(other.state.kind).toBe('conflict');
  await other.flush();
  expect(server.now.content.name).toBe('Trade customers');
  other.resolve('mine');
  await other.flush();
  expect(server.now.content.name).toBe('Schools');
  one.put(named('Studios'));
  await one.flush();
  one.resolve('theirs');
  expect(one.content.name).toBe('Schools');
  expect(one.state.kind).toBe('saved');
});

/** What can happen while a person types. */
const happenings = fc.array(
  fc.oneof(
    fc.record({ kind: fc.constant('type' as const), text: fc.string({ maxLength: 6 }) }),
    fc.record({ kind: fc.constant('save' as const) }),
    fc.record({ kind: fc.constant('server' as const), isOn: fc.boolean() }),
    fc.record({ kind: fc.constant('storage' as const), isOn: fc.boolean() }),
    fc.record({ kind: fc.constant('reload' as const) }),
  ),
  { maxLength: 30 },
);

test('whatever fails and comes back, in any order, what was typed last is what the server has in the end', async () => {
  await fc.assert(
    fc.asyncProperty(happenings, async (all) => {
      const [server, shelf] = [new Server(), new Shelf()];
      let saver = open(server, shelf);
      let typed = empty.name;
      for (const one of all) {
        if (one.kind === 'type') {
          typed = one.text;
          saver.put(named(typed));
        }
        if (one.kind === 'save') await saver.flush();
        if (one.kind === 'server') server.isReachable = one.isOn;
        if (one.kind === 'storage') shelf.isFull = !one.isOn;
        // A window that would lose something isn't closed: the browser asks first.
        if (one.kind === 'reload' && !saver.wouldBeLost) saver = open(server, shelf);
        expect(saver.content.name).toBe(typed);
      }
      server.isReachable = true;
      await saver.flush();
      expect(server.now.content.name).toBe(typed);
      expect(saver.state.kind).toBe('saved');
    }),
  );
});
