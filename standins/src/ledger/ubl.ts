import { create } from 'xmlbuilder2';
import type { Company, Invoice, LedgerCustomer } from './store.ts';
import { taxBreakdown } from './totals.ts';

const cbc = 'urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2';
const cac = 'urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2';

/** Currencies whose minor unit isn't a hundredth (ISO 4217), as far as the Ledger keeps books in them. */
const digitsOf = (currency: string): number => ({ JPY: 0, KWD: 3 })[currency] ?? 2;

/** An invoice as OASIS UBL 2.1, in the order of elements that its schema wants. */
export function asUbl(company: Company, invoice: Invoice, customer: LedgerCustomer | undefined): string {
  const currency = invoice.currencyCode;
  const decimals = digitsOf(currency);
  const amount = (minor: number) => ({ '@currencyID': currency, '#': (minor / 10 ** decimals).toFixed(decimals) });
  const category = (id: string, percent: number) => ({
    'cbc:ID': id,
    'cbc:Percent': String(percent),
    'cac:TaxScheme': { 'cbc:ID': 'VAT' },
  });
  const charge = invoice.chargeTotalAmount;
  const allowance = invoice.allowanceTotalAmount;
  const extra = (isCharge: boolean, minor: number) => ({
    'cbc:ChargeIndicator': String(isCharge),
    'cbc:AllowanceChargeReason': isCharge ? 'Delivery' : 'Discount',
    'cbc:Amount': amount(minor),
    'cac:TaxCategory': category(invoice.chargeTaxCategory, invoice.chargeTaxPercent),
  });
  const address = customer?.postalAddress;
  const document = {
    Invoice: {
      '@xmlns': 'urn:oasis:names:specification:ubl:schema:xsd:Invoice-2',
      '@xmlns:cac': cac,
      '@xmlns:cbc': cbc,
      'cbc:CustomizationID': 'urn:cen.eu:en16931:2017',
      'cbc:ID': invoice.invoiceNumber,
      'cbc:IssueDate': invoice.issueDate,
      ...(invoice.dueDate && { 'cbc:DueDate': invoice.dueDate }),
      'cbc:InvoiceTypeCode': '380',
      ...(invoice.note && { 'cbc:Note': invoice.note }),
      'cbc:DocumentCurrencyCode': currency,
      ...(invoice.buyerReference && { 'cbc:BuyerReference': invoice.buyerReference }),
      'cac:AccountingSupplierParty': { 'cac:Party': { 'cac:PartyName': { 'cbc:Name': company.name } } },
      'cac:AccountingCustomerParty': {
        'cac:Party': {
          'cac:PostalAddress': {
            ...(address?.streetName && { 'cbc:StreetName': address.streetName }),
            ...(address?.cityName && { 'cbc:CityName': address.cityName }),
            ...(address?.postalZone && { 'cbc:PostalZone': address.postalZone }),
            ...(address?.countryCode && { 'cac:Country': { 'cbc:IdentificationCode': address.countryCode } }),
          },
          ...(customer?.companyId && {
            'cac:PartyTaxScheme': { 'cbc:CompanyID': customer.companyId, 'cac:TaxScheme': { 'cbc:ID': 'VAT' } },
          }),
          'cac:PartyLegalEntity': { 'cbc:RegistrationName': customer?.name ?? String(invoice.customerId) },
        },
      },
      'cac:AllowanceCharge': [
        ...(allowance > 0 ? [extra(false, allowance)] : []),
        ...(charge > 0 ? [extra(true, charge)] : []),
      ],
      'cac:TaxTotal': {
        'cbc:TaxAmount': amount(invoice.taxAmount),
        'cac:TaxSubtotal': taxBreakdown(invoice).map((one) => ({
          'cbc:TaxableAmount': amount(one.taxableAmount),
          'cbc:TaxAmount': amount(one.taxAmount),
          'cac:TaxCategory': category(one.category, one.percent),
        })),
      },
      'cac:LegalMonetaryTotal': {
        'cbc:LineExtensionAmount': amount(invoice.lineExtensionAmount),
        'cbc:TaxExclusiveAmount': amount(invoice.taxExclusiveAmount),
        'cbc:TaxInclusiveAmount': amount(invoice.taxInclusiveAmount),
        ...(allowance > 0 && { 'cbc:AllowanceTotalAmount': amount(allowance) }),
        ...(charge > 0 && { 'cbc:ChargeTotalAmount': amount(charge) }),
        'cbc:PrepaidAmount': amount(invoice.prepaidAmount),
        'cbc:PayableAmount': amount(invoice.payableAmount),
      },
      'cac:InvoiceLine': invoice.invoiceLines.map((line, at) => ({
        'cbc:ID': String(at + 1),
        'cbc:InvoicedQuantity': { '@unitCode': line.unitCode, '#': String(line.invoicedQuantity) },
        'cbc:LineExtensionAmount': amount(line.lineExtensionAmount),
        ...(line.allowanceAmount > 0 && {
          'cac:AllowanceCharge': {
            'cbc:ChargeIndicator': 'false',
            'cbc:AllowanceChargeReason': 'Discount',
            'cbc:Amount': amount(line.allowanceAmount),
          },
        }),
        'cac:Item': {
          'cbc:Name': line.itemName,
          ...(line.sellersItemId && { 'cac:SellersItemIdentification': { 'cbc:ID': line.sellersItemId } }),
          'cac:ClassifiedTaxCategory': category(line.taxCategory, line.taxPercent),
        },
        'cac:Price': { 'cbc:PriceAmount': amount(line.priceAmount) },
      })),
    },
  };
  return create({ version: '1.0', encoding: 'UTF-8' }, document).end({ prettyPrint: true });
}
