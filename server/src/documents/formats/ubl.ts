import type { Invoice, InvoiceLine, InvoiceParty, InvoiceTax } from '@golden/core';
import { XMLBuilder } from 'fast-xml-parser';

// An invoice as OASIS UBL 2.1, by EN 16931: the elements stand in the order that its schema wants.

const space = 'urn:oasis:names:specification:ubl:schema:xsd';

/** UNTDID 1001: a commercial invoice; UNTDID 4461: a credit transfer. */
const [commercialInvoice, creditTransfer] = ['380', '30'];

/** An element that is there only if something stands in it. */
const ifFilled = (name: string, text: string): object => (text === '' ? {} : { [name]: text });

/** The document, in UTF-8. */
export function asUbl(invoice: Invoice): Uint8Array {
  const { currency, totals } = invoice;
  const amount = (text: string) => ({ '@currencyID': currency, '#text': text });
  const extra = (isCharge: boolean, text: string): object[] =>
    text === '0.00'
      ? []
      : [
          {
            'cbc:ChargeIndicator': String(isCharge),
            'cbc:AllowanceChargeReason': isCharge ? 'Charge' : 'Discount',
            'cbc:Amount': amount(text),
            'cac:TaxCategory': category(invoice.wholeTax),
          },
        ];
  const document = {
    '?xml': { '@version': '1.0', '@encoding': 'UTF-8' },
    Invoice: {
      '@xmlns': `${space}:Invoice-2`,
      '@xmlns:cac': `${space}:CommonAggregateComponents-2`,
      '@xmlns:cbc': `${space}:CommonBasicComponents-2`,
      'cbc:CustomizationID': 'urn:cen.eu:en16931:2017',
      'cbc:ID': invoice.number,
      'cbc:IssueDate': invoice.issueDate,
      ...ifFilled('cbc:DueDate', invoice.dueDate),
      'cbc:InvoiceTypeCode': commercialInvoice,
      ...ifFilled('cbc:Note', invoice.note),
      'cbc:DocumentCurrencyCode': currency,
      ...ifFilled('cbc:BuyerReference', invoice.buyerReference),
      ...(invoice.order !== '' && { 'cac:OrderReference': { 'cbc:ID': invoice.order } }),
      'cac:AccountingSupplierParty': party(invoice.seller),
      'cac:AccountingCustomerParty': party(invoice.buyer),
      ...(invoice.iban !== '' && {
        'cac:PaymentMeans': {
          'cbc:PaymentMeansCode': creditTransfer,
          'cac:PayeeFinancialAccount': { 'cbc:ID': invoice.iban },
        },
      }),
      ...(invoice.terms !== '' && { 'cac:PaymentTerms': { 'cbc:Note': invoice.terms } }),
      'cac:AllowanceCharge': [...extra(false, invoice.discount), ...extra(true, invoice.charge)],
      'cac:TaxTotal': {
        'cbc:TaxAmount': amount(totals.tax),
        'cac:TaxSubtotal': invoice.taxes.map(({ taxable, tax, ...group }) => ({
          'cbc:TaxableAmount': amount(taxable),
          'cbc:TaxAmount': amount(tax),
          'cac:TaxCategory': category(group, invoice.exemption),
        })),
      },
      'cac:LegalMonetaryTotal': {
        'cbc:LineExtensionAmount': amount(totals.lines),
        'cbc:TaxExclusiveAmount': amount(totals.withoutTax),
        'cbc:TaxInclusiveAmount': amount(totals.withTax),
        ...(invoice.discount !== '0.00' && { 'cbc:AllowanceTotalAmount': amount(invoice.discount) }),
        ...(invoice.charge !== '0.00' && { 'cbc:ChargeTotalAmount': amount(invoice.charge) }),
        'cbc:PrepaidAmount': amount(totals.prepaid),
        'cbc:PayableAmount': amount(totals.due),
      },
      'cac:InvoiceLine': invoice.lines.map((one, at) => line(one, at, amount)),
    },
  };
  const builder = new XMLBuilder({
    format: true,
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    suppressBooleanAttributes: false,
  });
  return Buffer.from(withoutControls(builder.build(document)));
}

function line(one: InvoiceLine, at: number, amount: (text: string) => object): object {
  return {
    'cbc:ID': String(at + 1),
    'cbc:InvoicedQuantity': { '@unitCode': one.unit, '#text': one.quantity },
    'cbc:LineExtensionAmount': amount(one.net),
    ...(one.discount !== '0.00' && {
      'cac:AllowanceCharge': {
        'cbc:ChargeIndicator': 'false',
        'cbc:AllowanceChargeReason': 'Discount',
        'cbc:Amount': amount(one.discount),
      },
    }),
    'cac:Item': {
      ...ifFilled('cbc:Description', one.description),
      'cbc:Name': one.item,
      ...(one.article !== '' && { 'cac:SellersItemIdentification': { 'cbc:ID': one.article } }),
      'cac:ClassifiedTaxCategory': category(one.tax),
    },
    'cac:Price': { 'cbc:PriceAmount': amount(one.price) },
  };
}

const category = ({ category: id, rate }: InvoiceTax, exemption = ''): object => ({
  'cbc:ID': id,
  ...(rate !== undefined && { 'cbc:Percent': rate }),
  // Only what bears no tax says why.
  ...(exemption !== '' && id !== 'S' && id !== 'Z' && { 'cbc:TaxExemptionReason': exemption }),
  'cac:TaxScheme': { 'cbc:ID': 'VAT' },
});

const party = (one: InvoiceParty): object => ({
  'cac:Party': {
    ...(one.email !== '' && { 'cbc:EndpointID': { '@schemeID': 'EM', '#text': one.email } }),
    'cac:PostalAddress': {
      ...ifFilled('cbc:StreetName', one.street),
      ...ifFilled('cbc:CityName', one.city),
      ...ifFilled('cbc:PostalZone', one.postcode),
      'cac:Country': { 'cbc:IdentificationCode': one.country },
    },
    ...(one.taxNumber !== '' && {
      'cac:PartyTaxScheme': { 'cbc:CompanyID': one.taxNumber, 'cac:TaxScheme': { 'cbc:ID': 'VAT' } },
    }),
    'cac:PartyLegalEntity': { 'cbc:RegistrationName': one.name, ...ifFilled('cbc:CompanyID', one.registration) },
  },
});

/** Characters that XML 1.0 can't hold (section 2.2) are left out. */
const withoutControls = (text: string): string => text.replace(/[^\P{Cc}\t\n\r]|[\ufffe\uffff]/gu, '');
