import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { postMailboxes, postRoom } from './post-room.ts';

// Whoever goes in the middle of waiting for news (IDLE, RFC 2177) leaves nothing behind: a timer of half an hour kept
// the making of the demo from ending, once in a while.

const halfAnHour = 30 * 60 * 1000;
let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-imap-'));
});
afterEach(() => {
  jest.restoreAllMocks();
  rmSync(folder, { recursive: true, force: true });
});

/** Sends a line and reads until its answer. */
async function say(socket: Socket, line: string, answer: string): Promise<void> {
  let heard = '';
  socket.write(`${line}\r\n`);
  while (!heard.includes(answer)) heard += String((await once(socket, 'data'))[0]);
}

/** What was sent and closed is taken in by the server, which is in this process, in its next turns. */
async function letItSettle(): Promise<void> {
  for (let turns = 0; turns < 50; turns++) await setImmediate();
}

test.each(['goes', 'ends its line', 'is broken off', 'goes before it is answered'])(
  'somebody who waits for news and %s leaves no timer',
  async (how) => {
    const started = jest.spyOn(globalThis, 'setTimeout');
    const ended = jest.spyOn(globalThis, 'clearTimeout');
    const room = postRoom(join(folder, 'post.sqlite'));
    const [host = '', port] = (await room.listen(0, 0)).imap.split(':');
    const socket = connect(Number(port), host);
    await once(socket, 'data');
    const [first] = postMailboxes;
    await say(socket, `a LOGIN ${first?.address} ${first?.password}`, 'a OK');
    await say(socket, 'b SELECT INBOX', 'b OK');
    if (how === 'goes before it is answered') {
      socket.write('c IDLE\r\n');
      socket.destroySoon();
      await letItSettle();
    } else {
      await say(socket, 'c IDLE', '+ idling');
      if (how === 'goes') socket.destroy();
      if (how === 'ends its line') socket.end();
    }
    await room.close();
    await letItSettle();
    const waits = started.mock.results.filter((_, at) => started.mock.calls[at]?.[1] === halfAnHour);
    if (how !== 'goes before it is answered') expect(waits).toHaveLength(1);
    const still = waits.filter(({ value }) => !ended.mock.calls.some(([timer]) => timer === value));
    expect(still).toEqual([]);
    socket.destroy();
  },
);
