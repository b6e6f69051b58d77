import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import {
  cabinetKeys,
  cardIndex,
  cardKeys,
  enquiryBox,
  enquiryKeys,
  type JobBoard,
  jobBoard,
  jobKeys,
  keyCabinet,
  ledger,
  newsletterKeys,
  newsletterList,
  noticeBoard,
  noticeKeys,
  pocketKeys,
  pocketMessages,
  postMailboxes,
  postRoom,
  shelfAccounts,
  shopCounter,
  shopKeys,
  windowDisplay,
  windowKeys,
  workbookShelf,
} from '@golden/standins';
import { demoBooks } from './books.ts';
import { fillCabinet, fillWindow } from './cabinet.ts';
import { demoCards } from './cards.ts';
import { type DemoCustomer, demoCustomers } from './customers.ts';
import { fillEnquiries, fillNotices } from './enquiries.ts';
import { fillJobs } from './jobs.ts';
import { fillNewsletter } from './newsletter.ts';
import { demoOrders, demoProducts, ledgerCustomers, ledgerItems } from './orders.ts';
import { fillPost } from './post.ts';
import { customerList, newPeople, newsletterWorkbook, openDayCsv, priceList } from './workbooks.ts';

/** How a practice app is connected: its app, and what signs us in. */
export interface PracticeKey {
  readonly app: string;
  readonly name: string;
  readonly key: string;
  /** What it is connected with besides its address. */
  readonly settings?: Readonly<Record<string, string>>;
}

/** The practice apps of Saltmarsh Kiln Supply, filled but for the shop's customers, who come one after the other. */
export interface PracticeApps {
  readonly shop: ReturnType<typeof shopCounter>;
  readonly shelf: ReturnType<typeof workbookShelf>;
  readonly books: ReturnType<typeof ledger>;
  readonly cards: ReturnType<typeof cardIndex>;
  readonly box: ReturnType<typeof enquiryBox>;
  readonly board: ReturnType<typeof noticeBoard>;
  readonly post: ReturnType<typeof postRoom>;
  readonly work: JobBoard;
  readonly pocket: ReturnType<typeof pocketMessages>;
  readonly letters: ReturnType<typeof newsletterList>;
  readonly cabinet: ReturnType<typeof keyCabinet>;
  readonly site: ReturnType<typeof windowDisplay>;
  readonly customers: readonly DemoCustomer[];
  /** Those of them that stand in the Ledger, as its bookkeeper wrote them. */
  readonly inBooks: ReturnType<typeof ledgerCustomers>;
  /** What is there, in a sentence. */
  readonly said: string;
  readonly keys: readonly PracticeKey[];
}

/** Fills the practice apps in a folder with the demo's data, from a fixed seed. */
export async function fillPracticeApps(folder: string, count: number, now: string): Promise<PracticeApps> {
  mkdirSync(join(folder, 'shelf'), { recursive: true });
  const shop = shopCounter(join(folder, 'shop.sqlite'));
  const shelf = workbookShelf(join(folder, 'shelf'));
  const books = ledger(join(folder, 'ledger.sqlite'));
  const cards = cardIndex(join(folder, 'cards.sqlite'));
  const box = enquiryBox(join(folder, 'enquiry.sqlite'));
  const board = noticeBoard(join(folder, 'notice.sqlite'));
  fillEnquiries(box.store, now);
  fillNotices(board.store, now);
  const post = postRoom(join(folder, 'post.sqlite'));
  await fillPost(post, now);
  const work = jobBoard(join(folder, 'jobs.sqlite'));
  fillJobs(work.store, now);
  const pocket = pocketMessages(join(folder, 'pocket.sqlite'));
  const letters = newsletterList(join(folder, 'newsletter.sqlite'));
  fillNewsletter(letters.store, now);
  const cabinet = keyCabinet(join(folder, 'cabinet.sqlite'));
  fillCabinet(cabinet.store, now);
  const site = windowDisplay(join(folder, 'window.sqlite'));
  fillWindow(site.store, now);
  const customers = demoCustomers(count, now);
  // The shop numbers its customers from 10001 on, in the order they come.
  const numbered = customers.map((one, at) => ({
    id: 10_001 + at,
    ...one.input,
    created_at: one.createdAt,
    updated_at: one.updatedAt,
  }));
  shelf.files.replace(
    'Customer list.xlsx',
    await customerList(numbered.filter((_, at) => at < numbered.length * 0.82 || at % 3 === 0)),
    undefined,
  );
  shelf.files.replace('Trade prices.xlsx', await priceList(), undefined);
  shelf.files.set('Trade prices.xlsx', { right: 'view' });
  shelf.files.replace('Open day enquiries.csv', openDayCsv(), undefined);
  shelf.files.replace('Newsletter.xlsx', await newsletterWorkbook(), undefined);
  shelf.files.replace('New people.xlsx', await newPeople(), undefined);
  const orders = demoOrders(customers, Math.round(customers.length * 0.45), now);
  shop.store.sales.products.addAll(
    demoProducts().map((content) => ({ content, createdAt: customers[0]?.createdAt ?? now })),
  );
  books.store.items.addAll(ledgerItems().map((content) => ({ content, createdAt: customers[0]?.createdAt ?? now })));
  const inBooks = ledgerCustomers(customers.slice(0, Math.round(customers.length * 0.6)));
  books.store.customers.addAll(inBooks);
  const past = demoBooks(
    inBooks.map(({ content }) => content),
    ledgerItems(),
    Math.round(customers.length * 0.2),
    now,
  );
  books.store.invoices.addAll(past.invoices);
  books.store.payments.addAll(past.payments);
  shop.store.sales.orders.addAll(orders);
  const made = demoCards(customers.slice(0, Math.round(customers.length * 0.85)), now);
  for (const [type, all] of Object.entries(made)) cards.store.of(type).addAll(all as never);
  cards.store.addField('companies', { name: 'kilnType', kind: 'text', maxLength: 60 });
  cards.store.addField('leads', { name: 'wantsNews', kind: 'boolean' });
  const refunded = orders.flatMap(({ content, updatedAt }, at) =>
    content.status === 'refunded' ? [{ order: content, id: 50_001 + at, updatedAt }] : [],
  );
  shop.store.sales.refunds.addAll(
    refunded.map(({ order, id, updatedAt }) => ({
      createdAt: updatedAt,
      content: {
        order_id: id,
        order_number: order.number,
        amount: order.total,
        currency: order.currency,
        reason: 'Broken on the way',
      },
    })),
  );
  // Those who asked about a kiln last come to an open day.
  shop.store.sales.bookings.addAll(
    made.leads.slice(-9, -3).map(({ content, createdAt }, at) => ({
      createdAt,
      content: {
        number: `OD-${1001 + at}`,
        status: at === 2 ? 'cancelled' : 'booked',
        day: '2026-12-05',
        name: String(content.attributes['name'] ?? ''),
        email: String(content.attributes['email'] ?? `guest${at}@clay.example`),
        phone: null,
        places: 1 + (at % 2),
      },
    })),
  );
  const bookkeeper = books.signIn.issue({
    user: 'Mira Holm',
    client: 'golden-relay',
    scope: 'ledger.read ledger.write',
  });
  return {
    shop,
    shelf,
    books,
    cards,
    box,
    board,
    post,
    work,
    pocket,
    letters,
    cabinet,
    site,
    customers,
    inBooks,
    said: `${customers.length} customers, ${orders.length} orders, the Ledger of two companies, ${past.invoices.length} invoices in them, a Card index of ${made.people.length} people and ${made.leads.length} leads, an Enquiry box, a Notice board, a Post room, a Job board, Pocket messages, a Newsletter list, a Key cabinet, a Window display and 5 workbooks of Saltmarsh Kiln Supply`,
    keys: [
      { app: 'shop_counter', name: 'Shop counter', key: shopKeys.find((one) => !one.mayWrite)?.key ?? '' },
      { app: 'workbook_shelf', name: 'Workbook shelf', key: shelfAccounts.find((one) => one.mayEdit)?.token ?? '' },
      {
        app: 'ledger',
        name: 'Ledger',
        // Good for as long as the refresh token: the first request renews it.
        key: JSON.stringify({ access: bookkeeper.access_token, refresh: bookkeeper.refresh_token, expiresAt: 0 }),
      },
      { app: 'card_index', name: 'Card index', key: cardKeys.find((one) => one.mayWrite)?.key ?? '' },
      { app: 'enquiry_box', name: 'Enquiry box', key: enquiryKeys.find((one) => !one.mayWrite)?.key ?? '' },
      { app: 'job_board', name: 'Job board', key: jobKeys.find((one) => one.mayWrite)?.key ?? '' },
      {
        app: 'newsletter_list',
        name: 'Newsletter list',
        key: newsletterKeys.find((one) => one.mayWrite)?.key ?? '',
      },
      { app: 'key_cabinet', name: 'Key cabinet', key: cabinetKeys.find((one) => one.mayWrite)?.key ?? '' },
      { app: 'window_display', name: 'Window display', key: windowKeys.find((one) => one.mayWrite)?.key ?? '' },
      {
        app: 'pocket_messages',
        name: 'Pocket messages',
        key: pocketKeys.find((one) => one.mayWrite)?.key ?? '',
      },
      { app: 'notice_board', name: 'Notice board', key: noticeKeys.find((one) => one.mayWrite)?.key ?? '' },
      {
        app: 'post_room',
        name: 'Post room',
        key: postMailboxes[0]?.password ?? '',
        settings: {
          user: postMailboxes[0]?.address ?? '',
          senders: 'Saltmarsh Kiln Supply <hello@saltmarsh.example>',
        },
      },
    ],
  };
}
