import type { Field, FieldType } from '../../values/field.ts';

// What an electronic invoice says (EN 16931-1, the business terms BT-1 to BT-155, from memory), in the words of a person.

interface More {
  readonly required?: boolean;
  readonly description?: string;
  readonly options?: { value: string; label: string }[];
}

const one = (path: string, label: string, type: FieldType, more: More = {}): Field => ({ path, label, type, ...more });
const required = { required: true };

/** The codes of VAT categories that EN 16931 allows (of UNCL 5305), as a person reads them. */
export const taxCategories = [
  { value: 'S', label: 'standard rate (S)' },
  { value: 'Z', label: 'zero rate (Z)' },
  { value: 'E', label: 'exempt from tax (E)' },
  { value: 'AE', label: 'the buyer pays the tax: reverse charge (AE)' },
  { value: 'K', label: 'within the EU, to a business (K)' },
  { value: 'G', label: 'exported, free of tax (G)' },
  { value: 'O', label: 'not subject to tax (O)' },
];

const party = (whose: 'seller' | 'buyer'): Field[] => [
  one(`/${whose}/name`, `${whose} · name`, 'text', required),
  one(`/${whose}/taxNumber`, `${whose} · VAT number`, 'text', { description: 'With its country: GB123456789' }),
  ...(whose === 'seller' ? [one('/seller/registration', 'seller · registration number', 'text')] : []),
  one(`/${whose}/street`, `${whose} · street`, 'text'),
  one(`/${whose}/city`, `${whose} · city`, 'text'),
  one(`/${whose}/postcode`, `${whose} · postcode`, 'text'),
  one(`/${whose}/country`, `${whose} · country`, 'text', { ...required, description: 'Two letters (ISO 3166): GB' }),
  one(`/${whose}/email`, `${whose} · e-mail`, 'email'),
];

const lineFields: Field[] = [
  one('/item', 'item name', 'text', required),
  one('/description', 'description', 'text'),
  one('/article', 'article number', 'text'),
  one('/quantity', 'quantity', 'decimal', required),
  one('/unit', 'unit', 'text', {
    description: 'A code of UN/ECE Recommendation 20: C62 pieces, KGM kilograms, HUR hours',
  }),
  one('/price', 'net price', 'decimal', { ...required, description: 'Of one, without tax' }),
  one('/discount', 'discount', 'decimal', { description: 'Taken off the whole line' }),
  one('/taxCategory', 'tax category', 'choice', { options: taxCategories }),
  one('/taxRate', 'tax rate', 'decimal', { description: 'In per cent: 20' }),
];

/** The fields of an invoice; amounts are plain decimals of its currency. */
export const invoiceFields: readonly Field[] = [
  one('/number', 'invoice number', 'text', required),
  one('/issueDate', 'issue date', 'date', required),
  one('/dueDate', 'due date', 'date'),
  one('/currency', 'currency', 'text', { ...required, description: 'Three letters (ISO 4217): GBP' }),
  one('/buyerReference', 'buyer reference', 'text'),
  one('/order', 'order number', 'text'),
  one('/note', 'note', 'text'),
  one('/terms', 'payment terms', 'text'),
  one('/iban', 'IBAN', 'text', { description: 'Of the account to pay into' }),
  ...party('seller'),
  ...party('buyer'),
  one('/discount', 'discount on the whole', 'decimal'),
  one('/charge', 'charge on the whole', 'decimal', { description: 'Such as delivery' }),
  one('/wholeTaxCategory', 'tax category of discount and charge', 'choice', { options: taxCategories }),
  one('/wholeTaxRate', 'tax rate of discount and charge', 'decimal'),
  one('/exemption', 'why no tax is charged', 'text'),
  one('/prepaid', 'paid already', 'decimal'),
  one('/total', 'total with tax', 'decimal', {
    description: 'As your books have it: compared with what the lines come to',
  }),
  { ...one('/lines', 'lines', 'list', required), fields: lineFields },
];

/** The fields that say who the seller is, each by the fact of the business that tells it. */
export const sellerFacts: Readonly<Record<string, string>> = { '/seller/name': '/name', '/seller/email': '/email' };
