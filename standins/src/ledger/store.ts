import Database from 'better-sqlite3';
import { RecordTable } from '../kit/records.ts';

/** A company whose books the Ledger keeps. */
export interface Company {
  readonly id: string;
  readonly name: string;
}

/** The two companies whose books are kept. */
export const companies: readonly Company[] = [
  { id: 'retail', name: 'Saltmarsh Kiln Supply · retail' },
  { id: 'trade', name: 'Saltmarsh Kiln Supply · trade' },
];

export interface LedgerCustomer {
  readonly company: string;
  readonly name: string;
  readonly contactName: string | null;
  readonly electronicMail: string | null;
  readonly telephone: string | null;
  /** The tax number. */
  readonly companyId: string | null;
  readonly postalAddress: {
    readonly streetName: string | null;
    readonly cityName: string | null;
    readonly postalZone: string | null;
    readonly countryCode: string | null;
  };
  readonly paymentTermsDays: number;
  readonly reference: string | null;
}

export interface Item {
  readonly company: string;
  readonly name: string;
  readonly sellersItemId: string;
  /** In minor units of the currency, without tax. */
  readonly priceAmount: number;
  readonly currencyCode: string;
  readonly taxCategory: TaxCategory;
  readonly taxPercent: number;
  readonly reference: string | null;
}

/** Codes of UNCL5305 that EN 16931 uses: standard rate, zero rated, exempt. */
export const taxCategories = ['S', 'Z', 'E'] as const;
export type TaxCategory = (typeof taxCategories)[number];

export interface InvoiceLine {
  readonly itemId: number | null;
  readonly sellersItemId: string | null;
  readonly itemName: string;
  readonly invoicedQuantity: number;
  readonly unitCode: string;
  readonly priceAmount: number;
  readonly allowanceAmount: number;
  readonly lineExtensionAmount: number;
  readonly taxCategory: TaxCategory;
  readonly taxPercent: number;
}

/** An invoice; all amounts in minor units of its currency. */
export interface Invoice {
  readonly company: string;
  readonly invoiceNumber: string;
  readonly issueDate: string;
  readonly dueDate: string | null;
  readonly currencyCode: string;
  readonly customerId: number;
  readonly buyerReference: string | null;
  readonly note: string | null;
  readonly invoiceLines: readonly InvoiceLine[];
  readonly allowanceTotalAmount: number;
  readonly chargeTotalAmount: number;
  /** The tax that document-level allowances and charges bear. */
  readonly chargeTaxCategory: TaxCategory;
  readonly chargeTaxPercent: number;
  readonly lineExtensionAmount: number;
  readonly taxExclusiveAmount: number;
  readonly taxAmount: number;
  readonly taxInclusiveAmount: number;
  readonly prepaidAmount: number;
  readonly payableAmount: number;
  readonly reference: string | null;
}

export interface CreditNoteLine extends Omit<InvoiceLine, 'invoicedQuantity'> {
  readonly creditedQuantity: number;
}

/** What takes an invoice back, whole or in parts (UBL CreditNote, type 381); amounts in minor units. */
export interface CreditNote {
  readonly company: string;
  readonly creditNoteNumber: string;
  readonly issueDate: string;
  readonly currencyCode: string;
  /** The invoice that is taken back (BT-25). */
  readonly invoiceId: number;
  readonly customerId: number;
  readonly note: string | null;
  readonly creditNoteLines: readonly CreditNoteLine[];
  readonly allowanceTotalAmount: number;
  readonly chargeTotalAmount: number;
  readonly chargeTaxCategory: TaxCategory;
  readonly chargeTaxPercent: number;
  readonly lineExtensionAmount: number;
  readonly taxExclusiveAmount: number;
  readonly taxAmount: number;
  readonly taxInclusiveAmount: number;
  readonly payableAmount: number;
  readonly reference: string | null;
}

export interface Payment {
  readonly company: string;
  readonly invoiceId: number;
  readonly paidDate: string;
  readonly amount: number;
  readonly currencyCode: string;
  readonly reference: string | null;
}

/** The Ledger's own data file. */
export class LedgerStore {
  readonly db: Database.Database;
  readonly customers: RecordTable<LedgerCustomer>;
  readonly items: RecordTable<Item>;
  readonly invoices: RecordTable<Invoice>;
  readonly payments: RecordTable<Payment>;
  readonly creditNotes: RecordTable<CreditNote>;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.customers = new RecordTable<LedgerCustomer>(
      this.db,
      'customer',
      ['company', 'electronicMail', 'name', 'companyId', 'reference'],
      3001,
    );
    this.items = new RecordTable<Item>(this.db, 'item', ['company', 'sellersItemId', 'reference'], 701);
    this.invoices = new RecordTable<Invoice>(this.db, 'invoice', ['company', 'invoiceNumber', 'reference'], 8001);
    this.creditNotes = new RecordTable<CreditNote>(
      this.db,
      'credit_note',
      ['company', 'creditNoteNumber', 'invoiceId', 'reference'],
      9001,
    );
    this.payments = new RecordTable<Payment>(this.db, 'payment', ['company', 'invoiceId', 'reference'], 501);
  }

  close(): void {
    this.db.close();
  }
}

/** A telephone number as the Ledger writes it: a plus and groups of figures. */
export function writePhone(given: string): string {
  const digits = given.replace(/[^\d+]/g, '');
  const plus = digits.startsWith('00') ? `+${digits.slice(2)}` : digits;
  if (!plus.startsWith('+')) return plus.replace(/^(\d{5})(\d{3})(\d+)$/, '$1 $2 $3');
  return plus.replace(/^(\+\d{2})(\d{2,4})(\d{3})(\d+)$/, '$1 $2 $3 $4');
}
