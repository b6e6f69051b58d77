import { mkdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { cardIndex } from './cards/card-index.ts';
import { enquiryBox } from './enquiry/enquiry-box.ts';
import { jobBoard } from './jobs/job-board.ts';
import { jobsDomain } from './jobs/mail-in.ts';
import { keyCabinet } from './keys/key-cabinet.ts';
import { listen } from './kit/listen.ts';
import { ledger } from './ledger/ledger.ts';
import { newsletterList } from './newsletter/newsletter-list.ts';
import { noticeBoard } from './notice/notice-board.ts';
import { pocketMessages } from './pocket/pocket-messages.ts';
import { postRoom } from './post/post-room.ts';
import { workbookShelf } from './shelf/shelf.ts';
import { shopCounter } from './shop/shop.ts';
import { windowDisplay } from './window/window-display.ts';

// Serves the practice apps, each on its own port and its own data.

const { values } = parseArgs({
  options: {
    data: { type: 'string', default: '.data/practice' },
    shop: { type: 'string', default: '4601' },
    shelf: { type: 'string', default: '4602' },
    ledger: { type: 'string', default: '4603' },
    cards: { type: 'string', default: '4604' },
    enquiry: { type: 'string', default: '4606' },
    notice: { type: 'string', default: '4607' },
    post: { type: 'string', default: '4608' },
    jobs: { type: 'string', default: '4611' },
    pocket: { type: 'string', default: '4612' },
    newsletter: { type: 'string', default: '4613' },
    cabinet: { type: 'string', default: '4614' },
    window: { type: 'string', default: '4615' },
    /** Of the Post room's mail servers; any that is free where it is 0. */
    imap: { type: 'string', default: '0' },
    smtp: { type: 'string', default: '0' },
    /** Where mails for workflows are handed over. */
    outside: { type: 'string', default: '127.0.0.1:2525' },
    /** Ends when whoever started it is gone: its end of our standard input is closed then, even when it was killed. */
    attached: { type: 'boolean', default: false },
  },
});

if (values.attached) process.stdin.on('end', () => process.exit(0)).resume();

try {
  const folder = resolve(values.data);
  mkdirSync(join(folder, 'shelf'), { recursive: true });
  const shop = await listen(shopCounter(join(folder, 'shop.sqlite')).app, Number(values.shop));
  const shelf = await listen(workbookShelf(join(folder, 'shelf')).app, Number(values.shelf));
  const books = await listen(ledger(join(folder, 'ledger.sqlite')).app, Number(values.ledger));
  const cards = await listen(cardIndex(join(folder, 'cards.sqlite')).app, Number(values.cards));
  const box = await listen(enquiryBox(join(folder, 'enquiry.sqlite')).app, Number(values.enquiry));
  const board = await listen(noticeBoard(join(folder, 'notice.sqlite')).app, Number(values.notice));
  const work = jobBoard(join(folder, 'jobs.sqlite'));
  const jobs = await listen(work.app, Number(values.jobs));
  const pocket = await listen(pocketMessages(join(folder, 'pocket.sqlite')).app, Number(values.pocket));
  const letters = await listen(newsletterList(join(folder, 'newsletter.sqlite')).app, Number(values.newsletter));
  const cabinet = await listen(keyCabinet(join(folder, 'cabinet.sqlite')).app, Number(values.cabinet));
  const site = await listen(windowDisplay(join(folder, 'window.sqlite')).app, Number(values.window));
  const post = postRoom(join(folder, 'post.sqlite'), {
    'relay.localhost': values.outside,
    [jobsDomain]: await work.listenForMails(0),
  });
  const { imap, smtp } = await post.listen(Number(values.imap), Number(values.smtp));
  const room = await listen(post.app, Number(values.post));
  console.log(
    `Shop counter is at ${shop.url}\nWorkbook shelf is at ${shelf.url}\nLedger is at ${books.url}\nCard index is at ${cards.url}\nEnquiry box is at ${box.url}\nNotice board is at ${board.url}\nPost room is at ${room.url}, IMAP at ${imap}, SMTP at ${smtp}\nJob board is at ${jobs.url}\nPocket messages is at ${pocket.url}\nNewsletter list is at ${letters.url}\nKey cabinet is at ${cabinet.url}\nWindow display is at ${site.url}`,
  );
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
}
