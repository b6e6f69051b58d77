import { nameWords } from '@golden/core';
import { type JsonSchema, schemaOf } from './schema.ts';

// Apps that name their fields after UBL 2.1 (OASIS, 2013) speak of a “line extension amount”. A person reads
// what EN 16931-1 calls the same thing, in short words; the standard's own name stays behind it.

/** What is said of a field of a whole record, by its element in UBL. */
const ofRecord = new Map(
  Object.entries({
    'line extension amount': 'sum of the lines', // BT-106
    'allowance total amount': 'discounts in all', // BT-107
    'charge total amount': 'charges in all', // BT-108
    'tax exclusive amount': 'total without tax', // BT-109
    'tax amount': 'total tax', // BT-110
    'tax inclusive amount': 'total with tax', // BT-112
    'prepaid amount': 'already paid', // BT-113
    'payable amount': 'amount to pay', // BT-115
    'charge tax category': 'charges: tax category', // BT-102
    'charge tax percent': 'charges: tax rate', // BT-103
    'electronic mail': 'e-mail', // BT-43, BT-58
    'street name': 'street', // BT-50
    'city name': 'town', // BT-52
    'postal zone': 'postcode', // BT-53
    'country code': 'country', // BT-55
    'currency code': 'currency', // BT-5
    'company id': 'tax number', // BT-48
  }),
);

/** What is said of a field of an article, or of a line. */
const ofLine = new Map(
  Object.entries({
    'line extension amount': 'net amount', // BT-131
    'allowance amount': 'discount', // BT-136
    'invoiced quantity': 'quantity', // BT-129
    'credited quantity': 'quantity',
    'price amount': 'price', // BT-146
    'unit code': 'unit', // BT-130
    'tax percent': 'tax rate', // BT-152
    'sellers item id': 'article number', // BT-155
  }),
);

/** Names that nobody gives a field who doesn't write after UBL. */
const telling = new Set([
  'line extension amount',
  'tax exclusive amount',
  'tax inclusive amount',
  'payable amount',
  'electronic mail',
  'postal zone',
  'sellers item id',
]);

const wordsOf = (name: string): string => nameWords(name).join(' ');

/** True for a record that is named after UBL, by one of its own fields or of a part of it. */
export function isUbl(schema: JsonSchema): boolean {
  return Object.entries(schema.properties ?? {}).some(
    ([name, part]) =>
      telling.has(wordsOf(name)) ||
      Object.keys(schemaOf(part)?.properties ?? {}).some((inner) => telling.has(wordsOf(inner))),
  );
}

/** What a person calls the UBL element of this name; undefined where its own name is plain already. */
export function plainUblName(name: string, isOfLine: boolean): string | undefined {
  const words = wordsOf(name);
  const [first, second] = isOfLine ? [ofLine, ofRecord] : [ofRecord, ofLine];
  return first.get(words) ?? second.get(words);
}
