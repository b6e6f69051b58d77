import { isEmpty, type JsonRecord, toText } from './value.ts';

const telling = ['name', 'fullname', 'title', 'company', 'email'];

/** The name a record goes by in lists: the first of its telling fields that is filled. */
export function recordTitle(record: JsonRecord): string {
  const joined = [record['first_name'] ?? record['firstName'], record['last_name'] ?? record['lastName']]
    .filter((part) => !isEmpty(part))
    .map(toText)
    .join(' ');
  if (joined.trim() !== '') return joined.trim();
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
