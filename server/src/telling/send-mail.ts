import type { TextMail } from '@golden/core';
import type { Connections } from '../connections.ts';

/**
 * Sends a mail of our own, not of a workflow, through a mail connection.
 *
 * @param token - what makes another sending the same mail. @throws what the connection throws
 */
export async function sendMail(
  connections: Pick<Connections, 'connector'>,
  connection: string,
  to: string,
  { subject, text }: TextMail,
  token: string,
): Promise<void> {
  const connector = await connections.connector(connection);
  const target = { connection, path: ['outgoing'], recordType: 'outgoing' };
  const values = { '/to': to, '/subject': subject, '/text': text };
  await connector.create({ write: { kind: 'create', target, values, types: {} }, token });
}
