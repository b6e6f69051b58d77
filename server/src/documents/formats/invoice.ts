import { invoiceFields, readInvoice, sellerFacts } from '@golden/core';
import type { DocumentMaker } from '../maker.ts';
import { asUbl } from './ubl.ts';

/** An electronic invoice (EN 16931) as UBL. */
export const invoiceMaker: DocumentMaker = {
  ending: '.xml',
  fields: invoiceFields,
  ours: sellerFacts,
  problemsOf: async (record) => readInvoice(record).problems,
  make: async (record) => {
    const { invoice, problems } = readInvoice(record);
    return { bytes: asUbl(invoice), problems };
  },
};
