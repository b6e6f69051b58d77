import { call } from '../api/client.ts';
import { asBase64 } from './bytes.ts';

/** Keeps a file for mails and pages; gives the name that it has. @throws Error in a sentence, for one that is too large */
export async function keepFile(file: File): Promise<string> {
  const body = { name: file.name, mediaType: file.type, bytes: await asBase64(file) };
  return (await call('POST /api/attachments', { body })).name;
}
