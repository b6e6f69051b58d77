export { invoiceFields, sellerFacts } from './fields.ts';
export { type Invoice, type InvoiceLine, type InvoiceParty, type InvoiceTax, readInvoice } from './invoice.ts';
