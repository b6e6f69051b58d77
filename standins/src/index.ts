export { type Listening, listen } from './kit/listen.ts';
export { calm, type PracticeState, type TroubleKind, troubleKinds } from './kit/trouble.ts';
export { mediaTypeOf } from './shelf/api.ts';
export { ShelfFiles } from './shelf/files.ts';
export { shelfAccounts, workbookShelf } from './shelf/shelf.ts';
export { shopCounter, shopKeys } from './shop/shop.ts';
export { type Customer, type CustomerInput, ShopStore } from './shop/store.ts';
