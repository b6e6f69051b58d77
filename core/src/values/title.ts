import { isEmpty, isRecord, type JsonRecord, toText } from './value.ts';

const telling = ['name', 'fullname', 'title', 'company', 'email'];

/** The name a record goes by in lists: the first of its telling fields that is filled. */
export function recordTitle(record: JsonRecord): string {
  const joined = [record['first_name'] ?? record['firstName'], record['last_name'] ?? record['lastName']]
    .filter((part) => !isEmpty(part))
    .map(toText)
    .join(' ');
  if (joined.trim() !== '') return joined.trim();
  const mail = mailTitle(record);
  if (mail) return mail;
  const plain = Object.entries(record).filter(([, value]) => !isEmpty(value) && typeof value !== 'object');
  const named = (names: readonly string[]): string | undefined => {
    const found = plain.find(([name]) => names.includes(name.toLowerCase().replaceAll('_', '')));
    return found && toText(found[1]);
  };
  // An order or an invoice is told by its number, and by whose it is.
  const document = [named(['number', 'ordernumber', 'invoicenumber']), named(['customername', 'buyer'])];
  if (document[0] && document[1]) return document.join(' · ');
  const name = named(telling) ?? document[0] ?? document[1];
  if (name) return name;
  const texts = Object.values(record).filter((value) => typeof value === 'string' && !isEmpty(value));
  return toText(texts[0]) || 'no name';
}

/** A mail is told by who wrote it, and by its subject. */
function mailTitle({ from, subject }: JsonRecord): string | undefined {
  if (!isRecord(from) || typeof subject !== 'string') return undefined;
  const sender = [from['name'], from['address']].find((one) => !isEmpty(one));
  return [toText(sender), subject].filter((part) => part !== '').join(' · ') || undefined;
}
