export * from './apps.ts';
export * from './connector.ts';
export * from './errors.ts';
export { type HttpRequest, retryAfter } from './http/client.ts';
export { beginSignIn, endSignIn, type OAuthApp, readTokens, type SignInUnderWay, type Tokens } from './http/tokens.ts';
export { type RestDescription, RestDescriptionSchema } from './rest/description.ts';
export { RestConnector } from './rest/rest-connector.ts';
export { FolderStore, type Reach } from './workbook/folder-store.ts';
export { WorkbookConnector } from './workbook/workbook-connector.ts';
