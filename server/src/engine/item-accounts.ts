import { isPlaced, type LinkSubject, type WorkflowContent } from '@golden/core';
import type { Connections } from '../connections.ts';
import type { ItemRow } from '../db/schema.ts';
import type { AccountPlace, LinkEnd } from '../matching/links.ts';

/** What stands for the source among an item's accounts: a connection may be read and written through as two accounts. */
const source = '';

/**
 * The account that each step of a workflow writes to or looks in, and that of its source, as it is now.
 *
 * @param from - the source's account where it was listed through one that is known
 */
export function accountsNow(
  connections: Pick<Connections, 'accountOf'>,
  { start, steps }: WorkflowContent,
  from?: string,
): Record<string, string> {
  const accountOf = (connection: string): string => connections.accountOf(connection);
  const there: Record<string, string> = start.source ? { [source]: from ?? accountOf(start.source.connection) } : {};
  for (const step of steps)
    if (isPlaced(step) && step.target) there[step.target.connection] = accountOf(step.target.connection);
  return there;
}

/** The account that an item means by a connection: the one of when it began. */
export class ItemAccounts {
  private readonly begun: Readonly<Record<string, string>>;

  constructor(
    item: Pick<ItemRow, 'accounts'>,
    private readonly content: WorkflowContent,
  ) {
    this.begun = JSON.parse(item.accounts) as Record<string, string>;
  }

  /** The account that its record came from. */
  get source(): string {
    return this.begun[source] ?? this.content.start.source?.connection ?? '';
  }

  /** What the item's workflow does. */
  get workflow(): WorkflowContent {
    return this.content;
  }

  /** Items of an earlier release name none: then a connection was its own account. */
  of(connection: string): string {
    return this.begun[connection] ?? connection;
  }

  /** The end of a link that begins at the source's record, or at a record that a step wrote. */
  linkEnd({ connection, place, id }: LinkSubject): LinkEnd {
    const from = this.content.start.source;
    const account = connection === from?.connection ? this.source : this.of(connection);
    return { account, place, id };
  }

  /** The connections of its steps that lead to another account by now. */
  moved(now: Readonly<Record<string, string>>): string[] {
    return Object.keys(now).filter((connection) => connection !== source && this.of(connection) !== now[connection]);
  }

  /** The same with its steps in the accounts of now. */
  anew(now: Readonly<Record<string, string>>): Record<string, string> {
    return { ...this.begun, ...now, ...(this.begun[source] && { [source]: this.begun[source] }) };
  }
}

/** How a workflow's accounts are seen before there is an item: as they are now. */
export function accountsOfNow(connections: Connections, content: WorkflowContent): ItemAccounts {
  return new ItemAccounts({ accounts: JSON.stringify(accountsNow(connections, content)) }, content);
}

/** The place that a workflow's records come from, in its account of now. */
export const sourceOf = (connections: Pick<Connections, 'accountOf'>, { start }: WorkflowContent): AccountPlace => ({
  account: start.source ? connections.accountOf(start.source.connection) : '',
  path: start.source?.path ?? [],
});
