/** An app of the demo with the place in it. */
export interface PairEnd {
  readonly app: 'shop_counter' | 'workbook_shelf' | 'ledger' | 'card_index';
  readonly path: readonly string[];
}

/**
 * Two places of the demo with what a person would map between them, judged by hand. By the destination's
 * field: the source's fields in any order with "+" between them, "= x" for a fixed value, "found x" for the
 * id of a record that is looked up, "x of y" for a field of a record that was looked up. What is as good
 * stands behind "|", an empty one meaning that the field may be left alone. What isn't named here is rightly
 * left alone.
 */
export interface LabelledPair {
  readonly name: string;
  readonly from: PairEnd;
  readonly to: PairEnd;
  readonly right: Readonly<Record<string, string>>;
}

const shop = (name: string): PairEnd => ({ app: 'shop_counter', path: [name] });
const shelf = (file: string, tab: string): PairEnd => ({ app: 'workbook_shelf', path: [file, tab] });
const books = (company: 'retail' | 'trade', name: string): PairEnd => ({ app: 'ledger', path: [company, name] });
const cards = (name: string): PairEnd => ({ app: 'card_index', path: [name] });
const whole = '/first_name + /last_name';

/** The pairs, with what would be right; the scoring stands apart and knows nothing of them. */
export const labelledPairs: readonly LabelledPair[] = [
  {
    name: 'shop customers → customer list',
    from: shop('customers'),
    to: shelf('Customer list.xlsx', 'Customers'),
    right: {
      '/Number': '/id',
      '/Name': whole,
      '/Company': '/company',
      '/E-mail': '/email',
      '/Phone': '/phone + /address/country | /phone',
      '/Street': '/address/street',
      '/Postcode': '/address/postcode',
      '/Country': '/address/country',
      '/Account': '/account_type',
      '/Since': '/created_at',
    },
  },
  {
    name: 'shop customers → trade accounts',
    from: shop('customers'),
    to: shelf('Customer list.xlsx', 'Trade accounts'),
    right: {
      '/Number': '/id',
      '/Company': '/company',
      '/Name': whole,
      '/E-mail': '/email',
      '/Tax number': '/vat_number',
      '/Seen': ' | /updated_at | /created_at',
    },
  },
  {
    name: 'open-day enquiries → open-day tab',
    from: shelf('Open day enquiries.csv', 'Open day enquiries'),
    to: shelf('Customer list.xlsx', 'Open day'),
    right: { '/Name': '/Name', '/E-mail': '/E-mail' },
  },
  {
    name: 'shop customers → retail customers in the Ledger',
    from: shop('customers'),
    to: books('retail', 'customers'),
    right: {
      '/name': `/company + ${whole} | ${whole}`,
      '/contactName': ` | ${whole}`,
      '/electronicMail': '/email',
      '/telephone': '/phone + /address/country | /phone',
      '/companyId': '/vat_number',
      '/postalAddress/streetName': '/address/street',
      '/postalAddress/cityName': '/address/city',
      '/postalAddress/postalZone': '/address/postcode',
      '/postalAddress/countryCode': '/address/country',
    },
  },
  {
    name: 'shop customers → people in the Card index',
    from: shop('customers'),
    to: cards('people'),
    right: {
      '/firstName': '/first_name',
      '/lastName': '/last_name',
      '/email': '/email',
      '/phone': '/phone + /address/country | /phone',
      '/street': '/address/street',
      '/city': '/address/city',
      '/postcode': '/address/postcode',
      '/country': '/address/country',
      '/mayBeMailed': '/newsletter',
      '/company': 'found companies',
    },
  },
  {
    name: 'shop orders → retail invoices in the Ledger',
    from: shop('orders'),
    to: books('retail', 'invoices'),
    right: {
      '/invoiceNumber': '/number',
      '/issueDate': '/placed_at | /paid_at',
      '/currencyCode': '/currency',
      '/customerId': 'found customers',
      '/note': '/note',
      '/invoiceLines/itemName': '/name',
      '/invoiceLines/sellersItemId': '/sku',
      '/invoiceLines/invoicedQuantity': '/quantity',
      '/invoiceLines/unitCode': ' | = C62',
      '/invoiceLines/priceAmount': '/unit_price',
      '/invoiceLines/allowanceAmount': '/discount',
      '/invoiceLines/lineExtensionAmount': '/line_total',
      '/invoiceLines/taxCategory': '/tax_rate',
      '/invoiceLines/taxPercent': '/tax_rate',
      '/chargeTotalAmount': '/shipping',
      '/chargeTaxCategory': '= S',
      '/chargeTaxPercent': '= 20',
      '/lineExtensionAmount': '/lines/*/line_total | /net_total + /shipping',
      '/taxExclusiveAmount': '/lines/*/line_total + /shipping | /net_total | /tax_total + /total',
      '/taxAmount': '/tax_total',
      '/taxInclusiveAmount': '/total',
      '/payableAmount': '/total',
    },
  },
  {
    name: 'shop products → items in the Ledger',
    from: shop('products'),
    to: books('retail', 'items'),
    right: {
      '/name': '/name',
      '/sellersItemId': '/sku',
      '/priceAmount': '/price',
      '/currencyCode': '/currency',
      '/taxPercent': '/tax_rate',
      '/taxCategory': ' | /tax_rate',
    },
  },
  {
    name: 'trade invoices → deals in the Card index',
    from: books('trade', 'invoices'),
    to: cards('deals'),
    right: {
      '/title': '/invoiceNumber',
      '/value': '/taxExclusiveAmount | /taxInclusiveAmount | /payableAmount',
      '/stage': ' | = won',
      '/expectedOn': ' | /dueDate',
      '/person': 'found people',
      '/company': 'found companies',
    },
  },
  {
    name: 'retail customers → trade customers, both in the Ledger',
    from: books('retail', 'customers'),
    to: books('trade', 'customers'),
    right: {
      '/name': '/name',
      '/contactName': '/contactName',
      '/electronicMail': '/electronicMail',
      '/telephone': '/telephone + /postalAddress/countryCode | /telephone',
      '/companyId': '/companyId',
      '/postalAddress/streetName': '/postalAddress/streetName',
      '/postalAddress/cityName': '/postalAddress/cityName',
      '/postalAddress/postalZone': '/postalAddress/postalZone',
      '/postalAddress/countryCode': '/postalAddress/countryCode',
      '/paymentTermsDays': '/paymentTermsDays',
    },
  },
  {
    name: 'leads in the Card index → newsletter list',
    from: cards('leads'),
    to: shelf('Newsletter.xlsx', 'Subscribers'),
    right: {
      '/E-mail': '/email',
      '/First name': '/name',
      '/Last name': '/name',
      '/Met at': '/source',
      '/Since': '/createdAt',
    },
  },
  {
    name: 'a German list → people in the Card index',
    from: shelf('Kundenliste.csv', 'Kundenliste'),
    to: cards('people'),
    right: {
      '/firstName': '/Ansprechpartner',
      '/lastName': '/Ansprechpartner',
      '/email': '/E-Mail',
      '/phone': '/Telefon + /Land | /Telefon',
      '/street': '/Straße',
      '/city': '/Ort',
      '/postcode': '/PLZ',
      '/country': '/Land',
      '/mayBeMailed': '/Newsletter',
      '/company': 'found companies',
    },
  },
  {
    name: 'payments in the Ledger → a list of payments',
    from: books('trade', 'payments'),
    to: shelf('Payments.xlsx', 'Payments'),
    right: {
      '/Invoice': '/invoiceNumber of invoices',
      '/Paid on': '/paidDate',
      '/Amount': '/amount',
      '/Currency': '/currencyCode',
    },
  },
  {
    name: 'a French list → retail customers in the Ledger',
    from: shelf('Clients.csv', 'Clients'),
    to: books('retail', 'customers'),
    right: {
      '/name': '/Raison sociale | /Raison sociale + /Nom du contact',
      '/contactName': '/Nom du contact',
      '/electronicMail': '/Courriel',
      '/telephone': '/Téléphone + /Pays | /Téléphone',
      '/companyId': '/N° TVA',
      '/postalAddress/streetName': '/Adresse',
      '/postalAddress/cityName': '/Ville',
      '/postalAddress/postalZone': '/Code postal',
      '/postalAddress/countryCode': '/Pays',
      '/paymentTermsDays': ' | /Délai de paiement',
    },
  },
  {
    name: 'people in the Card index → customer list',
    from: cards('people'),
    to: shelf('Customer list.xlsx', 'Customers'),
    right: {
      '/Number': ' | /id',
      '/Name': '/firstName + /lastName',
      '/Company': '/name of companies',
      '/E-mail': '/email',
      '/Phone': '/phone + /country | /phone',
      '/Street': '/street',
      '/Postcode': '/postcode',
      '/Country': '/country',
      '/Since': '/createdAt',
    },
  },
  {
    name: 'companies in the Card index → trade customers in the Ledger',
    from: cards('companies'),
    to: books('trade', 'customers'),
    right: {
      '/name': '/name',
      '/electronicMail': '/email',
      '/telephone': '/phone + /country | /phone',
      '/companyId': '/taxNumber',
      '/postalAddress/streetName': '/street',
      '/postalAddress/cityName': '/city',
      '/postalAddress/postalZone': '/postcode',
      '/postalAddress/countryCode': '/country',
    },
  },
  {
    name: 'refunds of the shop → a list of refunds',
    from: shop('refunds'),
    to: shelf('Payments.xlsx', 'Refunds'),
    right: {
      '/Order no.': '/order_number',
      '/Refunded on': '/created_at',
      '/Amount': '/amount',
      '/Currency': '/currency',
      '/Why': ' | /reason',
    },
  },
  {
    name: 'retail invoices in the Ledger → a list of open items',
    from: books('retail', 'invoices'),
    to: shelf('Payments.xlsx', 'Open items'),
    right: {
      '/Invoice no.': '/invoiceNumber',
      '/Customer': '/name of customers',
      '/Issued': '/issueDate',
      '/Due': '/dueDate',
      '/Net': '/taxExclusiveAmount',
      '/VAT': '/taxAmount',
      '/Gross': '/taxInclusiveAmount',
      '/Still to pay': '/payableAmount',
    },
  },
  {
    name: 'a Polish list of firms → companies in the Card index',
    from: shelf('Firmy.csv', 'Firmy'),
    to: cards('companies'),
    right: {
      '/name': '/Nazwa firmy',
      '/email': '/E-mail',
      '/phone': '/Telefon',
      '/street': '/Ulica',
      '/city': '/Miasto',
      '/postcode': '/Kod pocztowy',
      '/country': '/Kraj',
      '/taxNumber': '/NIP',
    },
  },
  {
    name: 'trade customers in the Ledger → trade accounts',
    from: books('trade', 'customers'),
    to: shelf('Customer list.xlsx', 'Trade accounts'),
    right: {
      '/Number': '/id',
      '/Company': '/name',
      '/Name': '/contactName',
      '/E-mail': '/electronicMail',
      '/Tax number': '/companyId',
    },
  },
];
