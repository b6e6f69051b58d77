import { foldCase } from '../values/text.ts';
import { columnWords } from './column-words.ts';

/** What a field is about, told by its name: the words of the trade for the same thing. */
export type Concept = string;

/**
 * Names by which business apps call the same thing (common practice). Each is a run of words as
 * `nameWords` gives them; the longer runs are looked for first.
 */
const concepts: Readonly<Record<Concept, readonly string[]>> = {
  'e-mail': ['e mail', 'email', 'electronic mail', 'mail', 'e mail address', 'email address', 'mail address'],
  phone: ['phone', 'telephone', 'tel', 'mobile', 'phone number', 'telephone number', 'phone no', 'cell'],
  'first name': ['first name', 'given name', 'given names', 'forename', 'firstname'],
  'last name': ['last name', 'family name', 'surname', 'lastname'],
  name: ['name', 'full name', 'fullname'],
  'contact name': ['contact name', 'contact', 'contact person', 'person'],
  company: [
    'company',
    'company name',
    'organisation',
    'organization',
    'firm',
    'business',
    'registration name',
    'studio',
  ],
  street: ['street', 'street name', 'address line 1', 'address 1', 'street address', 'road', 'address'],
  city: ['city', 'town', 'city name', 'locality', 'place'],
  postcode: ['postcode', 'post code', 'postal code', 'postal zone', 'zip', 'zip code', 'plz'],
  country: ['country', 'country code', 'land'],
  region: ['region', 'county', 'state or province', 'province', 'country subentity'],
  'tax number': [
    'vat number',
    'vat no',
    'vat',
    'tax number',
    'tax no',
    'tax id',
    'tax scheme id',
    'vat id',
    'company id',
  ],
  number: [
    'number',
    'no',
    'id',
    'customer number',
    'customer no',
    'customer id',
    'ref',
    'reference',
    'code',
    'key',
    'nr',
  ],
  article: [
    'article',
    'article number',
    'sku',
    'item number',
    'item id',
    'sellers item id',
    'product code',
    'article no',
  ],
  added: [
    'created at',
    'created',
    'added',
    'added on',
    'since',
    'joined',
    'first seen',
    'customer since',
    'date added',
    'seen on',
  ],
  changed: ['updated at', 'updated', 'changed', 'modified', 'changed on', 'last changed', 'modified at'],
  account: ['account type', 'account', 'customer type', 'type', 'kind', 'category', 'group'],
  status: ['status', 'stage', 'phase'],
  note: ['note', 'notes', 'remark', 'remarks', 'comment', 'comments', 'message'],
  description: ['description', 'details', 'text'],
  price: ['price', 'net price', 'unit price', 'price amount', 'trade price', 'trade net'],
  total: ['total', 'amount', 'sum', 'payable amount', 'grand total', 'total amount'],
  worth: ['value', 'worth', 'deal value', 'order value'],
  title: ['title', 'subject', 'headline'],
  tax: ['tax', 'tax amount', 'vat amount'],
  'rate of tax': ['tax rate', 'tax percent', 'tax percentage', 'vat rate', 'vat percent', 'rate of tax'],
  quantity: ['quantity', 'qty', 'count', 'pieces', 'units'],
  currency: ['currency', 'currency code', 'document currency code'],
  newsletter: [
    'newsletter',
    'subscribed',
    'opt in',
    'mailing list',
    'wants news',
    'marketing',
    'may be mailed',
    'may mail',
  ],
  website: ['website', 'web site', 'url', 'web address', 'homepage', 'web'],
  issued: [
    'issue date',
    'invoice date',
    'date of issue',
    'issued',
    'issued on',
    'document date',
    'placed at',
    'placed on',
    'order date',
    'ordered at',
    'ordered on',
  ],
  paid: ['paid on', 'paid at', 'paid date', 'date paid', 'payment date', 'date of payment'],
  due: ['due', 'due date', 'due on', 'payment due', 'pay by'],
  birthday: ['birthday', 'date of birth', 'born', 'birth date'],
};

/** Words that say whose field it is, not what it holds. */
const context = new Set([
  'customer',
  'contact',
  'client',
  'buyer',
  'address',
  'billing',
  'main',
  'primary',
  'party',
  'the',
  'of',
  'here',
]);

/** The words of a field's name, case and accents aside: "postalZone" and "Postal zone" are `postal zone`. */
export function nameWords(label: string): string[] {
  return foldCase(label.replace(/(\p{Ll})(\p{Lu})/gu, '$1 $2'))
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
}

/** Each name by its words. English counts first where two languages use one word for two things. */
const byName: ReadonlyMap<string, Concept> = new Map([
  ...Object.entries(columnWords).flatMap(([concept, names]) =>
    names.map((name): [string, Concept] => [nameWords(name).join(' '), concept]),
  ),
  ...Object.entries(concepts).flatMap(([concept, names]) => names.map((name): [string, Concept] => [name, concept])),
]);

/** What a field is about; undefined when its name says nothing we know. */
export function conceptOf(label: string): Concept | undefined {
  const words = nameWords(label);
  const whole = byName.get(words.join(' '));
  if (whole) return whole;
  const own = words.filter((word) => !context.has(word));
  const telling = byName.get(own.join(' '));
  if (telling) return telling;
  // The last words of a name carry its meaning: "delivery postal code".
  for (let from = 1; from < own.length; from++) {
    const found = byName.get(own.slice(from).join(' '));
    if (found) return found;
  }
  return undefined;
}

/** Words that say that a field numbers records, beside what it numbers. */
const numbering = new Set(['number', 'no', 'nr', 'id', 'code', 'ref', 'reference', 'key', 'the', 'of', 's']);

/** What a number numbers, as its name says: "Invoice no." and `invoiceNumber` number invoices; '' where it says nothing. */
export const numberedBy = (label: string): string =>
  nameWords(label)
    .filter((word) => !numbering.has(word))
    .join(' ');

/**
 * How alike two names are, from 0 to 1: the Sørensen–Dice coefficient of their pairs of letters
 * (Dice 1945), so that a plural or a small slip costs little.
 */
export function nameLikeness(one: string, other: string): number {
  const [left, right] = [nameWords(one).join(''), nameWords(other).join('')];
  if (left === '' || right === '') return 0;
  if (left === right) return 1;
  const pairs = (text: string): string[] => Array.from({ length: text.length - 1 }, (_, at) => text.slice(at, at + 2));
  const [first, rest] = [pairs(left), pairs(right)];
  if (first.length === 0 || rest.length === 0) return 0;
  const total = first.length + rest.length;
  let shared = 0;
  for (const pair of first) {
    const at = rest.indexOf(pair);
    if (at < 0) continue;
    shared += 1;
    rest.splice(at, 1);
  }
  return (2 * shared) / total;
}
