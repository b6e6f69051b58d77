import { createHash } from 'node:crypto';
import { type CallSpec, type JsonRecord, type TextMail, type ToldKind, toldEvent, toldEventType } from '@golden/core';
import type { Connections } from '../connections.ts';
import { sendMail } from './send-mail.ts';
import type { Telling } from './telling.ts';

// How something that is to be told goes out: as a mail to people, or as an event that is posted to a program.

/** Connections of this app are posted to. */
export const eventsApp = 'web_address';

/** Something to tell, for both. */
export interface ToTell {
  readonly kind: ToldKind;
  readonly mail: TextMail;
  readonly data: JsonRecord;
  /** What makes it another time of the same: the day, or when somebody was told before. */
  readonly occasion: string;
}

interface Parts {
  readonly connections: Pick<Connections, 'connector' | 'get'>;
  readonly address: () => Promise<string>;
}

const fields: CallSpec['fields'] = [
  ...['specversion', 'id', 'source', 'type', 'time', 'datacontenttype'].map((name) => ({
    path: `/${name}`,
    label: name,
    type: 'text' as const,
  })),
  { path: '/data', label: 'data', type: 'any' },
];

/** Sends it. @throws what the connection throws */
export async function sendTold(
  { connections, address }: Parts,
  telling: Telling,
  toTell: ToTell,
  now: string,
): Promise<void> {
  const { connection, to } = telling;
  const { kind, mail, data, occasion } = toTell;
  // Sent once more after a crash it bears the same name.
  const name = createHash('sha256')
    .update(JSON.stringify([kind, occasion, data]))
    .digest('hex')
    .slice(0, 32);
  const token = `told-${name}`;
  if ((await connections.get(connection)).app !== eventsApp) return sendMail(connections, connection, to, mail, token);
  const spec: CallSpec = {
    method: 'POST',
    address: to,
    headers: [{ name: 'content-type', value: toldEventType }],
    fields,
    onlyReads: false,
  };
  const event = toldEvent(kind, name, now, await address(), data);
  const values = Object.fromEntries(Object.entries(event).map(([key, value]) => [`/${key}`, value]));
  const target = { connection, path: [JSON.stringify(spec)], recordType: 'call' };
  const connector = await connections.connector(connection);
  await connector.create({ write: { kind: 'create', target, values, types: {} }, token });
}
