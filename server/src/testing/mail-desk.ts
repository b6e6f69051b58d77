import { join } from 'node:path';
import { type Step, startId } from '@golden/core';
import type { PostRoom } from '@golden/standins';
import { makeServices, type Services } from '../services.ts';
import { TestClock } from './clock.ts';
import { emptyDataFile } from './data-file.ts';

// A mailbox of ours and those of customers, in the Post room.

/** Our address, whose mailbox is connected. */
export const us = 'hello@saltmarsh.example';

/** Mailboxes of these customers, each called Ada Holm. */
export const customersOf = (count: number): string[] =>
  Array.from({ length: count }, (_, at) => `ada${at}@clay.example`);

/** Gives each of them a mailbox. */
export function addMailboxes(room: PostRoom, addresses: readonly string[]): void {
  for (const address of addresses) {
    const mailbox = { address, name: 'Ada Holm', password: 'practice', away: '' };
    room.store.addMailbox(mailbox);
    room.imap.open(mailbox);
  }
}

/** The product on a folder, with its time in a test's hand. */
export async function servicesIn(folder: string, seams = new TestClock()): Promise<Services> {
  const dataFile = join(folder, 'golden.sqlite');
  await emptyDataFile(dataFile);
  return makeServices({
    dataFile,
    masterKey: 'a master key for tests',
    open: { timeout: 20_000, retries: 0 },
    logLevel: 'silent',
    seams,
  });
}

/** The answers in the mailboxes of those who wrote, by the mail that each answers. */
export function answersIn(room: PostRoom, addresses: readonly string[]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const address of addresses)
    for (const { path, messages } of room.imap.foldersOf(address))
      for (const { raw } of path === 'INBOX' ? messages : []) {
        const answered = /^in-reply-to:\s*(<[^>]+>)/im.exec(raw)?.[1] ?? 'nothing';
        found.set(answered, [...(found.get(answered) ?? []), address]);
      }
  return found;
}

/** Keeps the mails that a person wrote. */
export const keepPeople: Step = {
  id: 'keep',
  kind: 'condition',
  condition: {
    kind: 'all',
    items: [{ kind: 'test', ref: { step: startId, path: '/kind' }, operator: 'is_one_of', values: ['person'] }],
  },
};
