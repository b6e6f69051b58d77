import { lineFields, readMail } from '@golden/connectors';
import { type Field, isRecord, type JsonRecord, type Value } from '@golden/core';
import { XMLParser, XMLValidator } from 'fast-xml-parser';

/** What a body says as a record, or why it says none. */
export type BodyReading =
  | {
      readonly ok: true;
      readonly record: JsonRecord;
      /** The fields that it shows, where they aren't told by its values. */
      readonly shows?: readonly Field[];
    }
  | { readonly ok: false; readonly message: string };

/** The kind of a mail as it came over SMTP (RFC 5322). */
export const mailMedia = 'message/rfc822';

/** What is known of a mail besides its own words: when it came, and whose checks of senders count. */
export interface CameAt {
  readonly received?: string | undefined;
  readonly trusted?: string | undefined;
}

/** Deeper than any business's event; what is nested deeper is no record. */
const deepest = 32;
/** More values than any business's event has. */
const mostValues = 5000;

/**
 * Reads a body by its media type (RFC 9110, section 8.3): JSON as a record, a list or a single value
 * under the name `value`; a form's fields by their names (the URL standard; RFC 7578), of a file its name,
 * type and size; XML by the names of its elements, attributes with an @; text under the name `text`; a mail as
 * it would be read in a mailbox.
 */
export async function readBody(mediaType: string, bytes: Uint8Array, at: CameAt = {}): Promise<BodyReading> {
  const type = (mediaType.split(';')[0] ?? '').trim().toLowerCase();
  if (type === mailMedia) {
    const { record } = await readMail(bytes, at);
    return { ok: true, record, shows: lineFields(record) };
  }
  const read = await contentOf(type, mediaType, bytes);
  if (!read.ok) return read;
  const why = whyTooMuch(read.record);
  return why === undefined ? read : refused(why);
}

async function contentOf(type: string, mediaType: string, bytes: Uint8Array): Promise<BodyReading> {
  if (type === 'multipart/form-data') return readMultipart(mediaType, bytes);
  const isForm = type === 'application/x-www-form-urlencoded';
  const isXml = type === 'application/xml' || type === 'text/xml' || type.endsWith('+xml');
  if (!isJson(type) && !isForm && !isXml && !type.startsWith('text/'))
    return refused(`It is of the kind ${type || '(none is said)'}, which can’t be read as a record.`);
  const charset = /charset\s*=\s*"?([^";\s]+)/i.exec(mediaType)?.[1] ?? (isXml ? xmlEncoding(bytes) : undefined);
  const text = decoded(bytes, charset);
  if (typeof text !== 'string') return text;
  if (isForm) return { ok: true, record: fieldsOf([...new URLSearchParams(text)]) };
  if (isXml) return readXml(text);
  if (!isJson(type)) return { ok: true, record: { text } };
  let value: Value;
  try {
    value = JSON.parse(text) as Value;
  } catch {
    return refused(text.trim() === '' ? 'Its body is empty.' : 'It is no whole JSON: it may have been cut off.');
  }
  return { ok: true, record: isRecord(value) ? value : { value } };
}

const isJson = (type: string): boolean => type === 'application/json' || type.endsWith('+json');

const refused = (message: string): BodyReading & { readonly ok: false } => ({ ok: false, message });

function decoded(bytes: Uint8Array, charset = 'utf-8'): string | (BodyReading & { readonly ok: false }) {
  let decoder: InstanceType<typeof TextDecoder>;
  try {
    decoder = new TextDecoder(charset, { fatal: true });
  } catch {
    return refused(`It says that its signs are “${charset.slice(0, 40)}”, which is no encoding that is known.`);
  }
  try {
    return decoder.decode(bytes);
  } catch {
    return refused(`Its signs can’t be read: they aren’t ${decoder.encoding.toUpperCase()}.`);
  }
}

/** The encoding that an XML declaration names (XML 1.0, 4.3.3), which stands in signs of one byte. */
const xmlEncoding = (bytes: Uint8Array): string | undefined =>
  /^<\?xml[^>]*\sencoding\s*=\s*["']([\w.-]+)["']/.exec(Buffer.from(bytes.subarray(0, 200)).toString('latin1'))?.[1];

/** Fields by their names; one that comes several times is a list. */
function fieldsOf(all: readonly (readonly [string, Value])[]): JsonRecord {
  const fields = new Map<string, Value[]>();
  for (const [name, value] of all) fields.set(name, [...(fields.get(name) ?? []), value]);
  return Object.fromEntries(
    [...fields].map(([name, values]) => [name, values.length === 1 ? values[0] : values]),
  ) as JsonRecord;
}

async function readMultipart(mediaType: string, bytes: Uint8Array): Promise<BodyReading> {
  try {
    const form = await new Response(Buffer.from(bytes), { headers: { 'content-type': mediaType } }).formData();
    const fields = [...form].map(([name, value]): [string, Value] => [
      name,
      typeof value === 'string' ? value : { name: value.name, type: value.type, size: value.size },
    ]);
    return { ok: true, record: fieldsOf(fields) };
  } catch {
    return refused('It is no whole form: a part of it is missing, or its boundary is wrong.');
  }
}

const xml = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  removeNSPrefix: true,
  parseTagValue: false,
  parseAttributeValue: false,
  ignoreDeclaration: true,
  ignorePiTags: true,
});

/** Values stay text. What declares a document type may hold entities made to harm: it is no business's event. */
function readXml(text: string): BodyReading {
  if (/<!DOCTYPE/i.test(text)) return refused('It declares a document type (DOCTYPE), which isn’t read.');
  const checked = XMLValidator.validate(text);
  if (checked !== true) return refused(`It is no whole XML: in line ${checked.err.line}, ${checked.err.msg}`);
  try {
    const content = xml.parse(text) as Value;
    if (!isRecord(content) || Object.keys(content).length === 0) return refused('It holds no XML element.');
    // The name of the outermost element says what it is, not a field of it.
    const [root] = Object.values(content);
    return { ok: true, record: isRecord(root) ? root : content };
  } catch (error) {
    return refused(`It can’t be read as XML: ${(error as Error).message}`);
  }
}

/** Why a record is more than is taken in, in a sentence; undefined where it isn't. */
export const whyTooMuch = (record: JsonRecord): string | undefined => excess(record, deepest, { values: mostValues });

/** Looks no further than it has to. */
function excess(value: Value, levels: number, left: { values: number }): string | undefined {
  left.values -= 1;
  if (left.values < 0) return `It has more than ${mostValues.toLocaleString('en')} values. Send it in smaller events.`;
  if (typeof value !== 'object' || value === null) return undefined;
  if (levels === 0) return `It is nested more than ${deepest} deep.`;
  for (const inner of Object.values(value)) {
    const why = excess(inner as Value, levels - 1, left);
    if (why !== undefined) return why;
  }
  return undefined;
}
