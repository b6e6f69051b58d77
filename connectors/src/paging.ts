import type { Connector, ListRequest, Page } from './connector.ts';
import { NotUnderstood } from './errors.ts';

/** Pages without a record that are believed one after the other. */
const mostEmpty = 100;

/** Watches over the pages of one listing, so that an app that goes round in circles is told so instead of listed for ever. */
export class PageWatch {
  private readonly cursors = new Set<string>();
  private empty = 0;

  /** @throws NotUnderstood when the page leads back to one that was listed already */
  pass(page: Page): void {
    this.empty = page.records.length === 0 ? this.empty + 1 : 0;
    if (page.cursor === null) return;
    if (this.cursors.has(page.cursor))
      throw new NotUnderstood('The app’s list leads back to a page that it gave already, so that it has no end.');
    if (this.empty > mostEmpty)
      throw new NotUnderstood(`The app gave ${mostEmpty} pages one after the other without a record.`);
    this.cursors.add(page.cursor);
  }
}

/** All pages of a place, one after the other, from a cursor on where one is given. */
export async function* pagesOf(connector: Connector, ask: ListRequest): AsyncGenerator<Page> {
  const watch = new PageWatch();
  let cursor = ask.cursor;
  do {
    const page: Page = await connector.list({ ...ask, ...(cursor !== undefined && { cursor }) });
    watch.pass(page);
    yield page;
    cursor = page.cursor ?? undefined;
  } while (cursor !== undefined);
}
