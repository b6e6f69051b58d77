import { isEmpty, type JsonRecord, toText } from './value.ts';

/** The name a record goes by in lists: the first of its telling fields that is filled. */
export function recordTitle(record: JsonRecord): string {
  const telling = ['name', 'full_name', 'title', 'company', 'email'];
  const joined = [record['first_name'], record['last_name']]
    .filter((part) => !isEmpty(part))
    .map(toText)
    .join(' ');
  if (joined.trim() !== '') return joined.trim();
  for (const [name, value] of Object.entries(record)) {
    if (telling.includes(name.toLowerCase()) && !isEmpty(value)) return toText(value);
  }
  const texts = Object.values(record).filter((value) => typeof value === 'string' && !isEmpty(value));
  return toText(texts[0]) || 'no name';
}
