export { cardIndex, cardKeys } from './cards/card-index.ts';
export { type Card, CardStore } from './cards/store.ts';
export { enquiryBox, enquiryKeys } from './enquiry/enquiry-box.ts';
export type { EnquiryStore, Form, Submission } from './enquiry/store.ts';
export { type JobBoard, jobBoard, jobKeys } from './jobs/job-board.ts';
export { jobsDomain, mailInOf } from './jobs/mail-in.ts';
export type { Board, JobStore, Task } from './jobs/store.ts';
export { cabinetKeys, keyCabinet } from './keys/key-cabinet.ts';
export type { Account, Group, KeyStore } from './keys/store.ts';
export { type Listening, listen } from './kit/listen.ts';
export { calm, type PracticeState, suffers, type TroubleKind, troubleKinds } from './kit/trouble.ts';
export { ledger } from './ledger/ledger.ts';
export {
  companies,
  type Invoice,
  type InvoiceLine,
  type Item,
  type LedgerCustomer,
  LedgerStore,
  type Payment,
  writePhone,
} from './ledger/store.ts';
export { checkTotals, lineNet, taxBreakdown } from './ledger/totals.ts';
export { newsletterKeys, newsletterList } from './newsletter/newsletter-list.ts';
export type { NewsletterStore, Subscriber } from './newsletter/store.ts';
export { noticeBoard, noticeKeys } from './notice/notice-board.ts';
export type { NoticeStore } from './notice/store.ts';
export { pocketKeys, pocketMessages } from './pocket/pocket-messages.ts';
export type { PocketStore } from './pocket/store.ts';
export { bare, type Letter } from './post/delivery.ts';
export { type PostRoom, postMailboxes, postRoom } from './post/post-room.ts';
export { mediaTypeOf } from './shelf/accounts-and-types.ts';
export { ShelfFiles } from './shelf/files.ts';
export { shelfAccounts, workbookShelf } from './shelf/shelf.ts';
export { editTab } from './shelf/workbook.ts';
export { fromPence, type Order, type OrderLine, type Product, pence, type Refund, totalsOf } from './shop/sales.ts';
export { shopCounter, shopKeys } from './shop/shop.ts';
export { type Customer, type CustomerInput, ShopStore } from './shop/store.ts';
export type { Entry, Mention, WindowStore } from './window/store.ts';
export { windowDisplay, windowKeys } from './window/window-display.ts';
