import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import type { JobStore } from './store.ts';

/** The domain of the boards' mail-in addresses. */
export const jobsDomain = 'jobs.localhost';

/** The address whose mails become tasks of a board. */
export const mailInOf = (board: string): string => `${board}@${jobsDomain}`;

/**
 * Takes mails to boards over SMTP. A mail of somebody who does tasks here becomes one; of others it is taken too, and
 * nothing comes of it, as task apps do: that the mail was taken says nothing of the task.
 */
export function mailInServer(store: JobStore, state: PracticeState): SMTPServer {
  return new SMTPServer({
    banner: 'Job board',
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    closeTimeout: 100,
    onRcptTo: ({ address }, _session, done) => {
      const [board = '', domain] = address.toLowerCase().split('@');
      return domain === jobsDomain && store.board(board)
        ? done()
        : done(Object.assign(new Error(`5.1.1 ${address}: no such board`), { responseCode: 550 }));
    },
    onData: (stream, session, done) => {
      const parts: Buffer[] = [];
      stream.on('data', (part: Buffer) => parts.push(part));
      stream.on('end', () => {
        state.requests += 1;
        if (suffers(state, 'fault')) {
          done(Object.assign(new Error('4.3.0 Something broke'), { responseCode: 451 }));
          return;
        }
        const boards = session.envelope.rcptTo.map(({ address }) => address.toLowerCase().split('@')[0] ?? '');
        makeTasks(store, state, boards, Buffer.concat(parts)).then(
          () => done(),
          (error: Error) => done(error),
        );
      });
    },
  });
}

async function makeTasks(store: JobStore, state: PracticeState, boards: readonly string[], raw: Buffer): Promise<void> {
  const mail = await simpleParser(raw);
  const sender = mail.from?.value[0]?.address?.toLowerCase() ?? '';
  const subject = mail.subject ?? '';
  const mailId = mail.messageId ?? null;
  for (const id of boards) {
    const board = store.board(id);
    if (!board) continue;
    const isKnown = mailId !== null && store.tasks.count({ board: id, mailId }) > 0;
    if (isKnown) continue;
    if (!store.people().some(({ email }) => email === sender) || subject.trim() === '') {
      store.addLostMail({ board: id, sender, subject, at: new Date().toISOString() });
      continue;
    }
    const { lines, rest } = labelled(mail.text ?? '');
    const person = store.people().find(({ name }) => name.toLowerCase() === lines.get('for')?.toLowerCase());
    const due = lines.get('due');
    state.writes += 1;
    store.add({
      board: id,
      title: subject.slice(0, 200),
      notes: rest.slice(0, 8000) || null,
      column: board.columns[0] ?? '',
      person: person?.name ?? null,
      due: due && /^\d{4}-\d{2}-\d{2}$/.test(due) ? due : null,
      mailId,
    });
  }
}

/** The lines at the beginning of a mail that set something of the task: "For: Mira Holm", "Due: 2026-12-24". */
function labelled(text: string): { readonly lines: ReadonlyMap<string, string>; readonly rest: string } {
  const all = text.split('\n');
  const lines = new Map<string, string>();
  while (all.length > 0) {
    const found = /^\s*(for|due)\s*:\s*(.+?)\s*$/i.exec(all[0] ?? '');
    if (!found) break;
    lines.set((found[1] ?? '').toLowerCase(), found[2] ?? '');
    all.shift();
  }
  return { lines, rest: all.join('\n').trim() };
}
