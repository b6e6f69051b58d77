import type { Invoice, InvoiceLine } from './store.ts';

/** What an invoice has to say of one category and rate of tax (EN 16931, BG-23). */
export interface TaxSubtotal {
  readonly category: string;
  readonly percent: number;
  readonly taxableAmount: number;
  readonly taxAmount: number;
}

/** Half a minor unit goes away from nought. */
const round = (amount: number): number => Math.sign(amount) * Math.round(Math.abs(amount) + 1e-9);

/** What a line comes to: quantity times price, less its allowance (BT-131). */
export function lineNet(line: Pick<InvoiceLine, 'invoicedQuantity' | 'priceAmount' | 'allowanceAmount'>): number {
  return round(line.invoicedQuantity * line.priceAmount) - line.allowanceAmount;
}

/** The tax breakdown: taxable amounts by category and rate, each with its tax rounded by itself (BR-CO-17). */
export function taxBreakdown(
  invoice: Pick<
    Invoice,
    'invoiceLines' | 'allowanceTotalAmount' | 'chargeTotalAmount' | 'chargeTaxCategory' | 'chargeTaxPercent'
  >,
): TaxSubtotal[] {
  const groups = new Map<string, { category: string; percent: number; taxableAmount: number }>();
  const add = (category: string, percent: number, amount: number): void => {
    const key = `${category} ${percent}`;
    const group = groups.get(key) ?? { category, percent, taxableAmount: 0 };
    groups.set(key, { ...group, taxableAmount: group.taxableAmount + amount });
  };
  for (const line of invoice.invoiceLines) add(line.taxCategory, line.taxPercent, line.lineExtensionAmount);
  const charges = invoice.chargeTotalAmount - invoice.allowanceTotalAmount;
  if (charges !== 0) add(invoice.chargeTaxCategory, invoice.chargeTaxPercent, charges);
  return [...groups.values()].map((group) => ({
    ...group,
    taxAmount: round((group.taxableAmount * group.percent) / 100),
  }));
}

/** Something about an invoice's totals that a rule of EN 16931 doesn't allow. */
export interface BrokenRule {
  readonly pointer: string;
  readonly rule: string;
  readonly detail: string;
}

/** Checks the totals by the rules BR-CO-10 to BR-CO-17 of EN 16931; the amounts are minor units. */
export function checkTotals(invoice: Omit<Invoice, 'company'>): BrokenRule[] {
  const broken: BrokenRule[] = [];
  const want = (name: keyof Invoice & string, rule: string, expected: number, how: string): void => {
    const given = invoice[name as keyof typeof invoice] as number;
    if (given !== expected)
      broken.push({ pointer: `/${name}`, rule, detail: `is ${given}, and ${how} is ${expected} (${rule})` });
  };
  for (const [at, line] of invoice.invoiceLines.entries()) {
    const net = lineNet(line);
    if (line.lineExtensionAmount !== net)
      broken.push({
        pointer: `/invoiceLines/${at}/lineExtensionAmount`,
        rule: 'BT-131',
        detail: `is ${line.lineExtensionAmount}, and quantity × price − allowance is ${net}`,
      });
  }
  const nets = invoice.invoiceLines.reduce((sum, line) => sum + line.lineExtensionAmount, 0);
  want('lineExtensionAmount', 'BR-CO-10', nets, 'the sum of the lines');
  const exclusive = invoice.lineExtensionAmount - invoice.allowanceTotalAmount + invoice.chargeTotalAmount;
  want('taxExclusiveAmount', 'BR-CO-13', exclusive, 'lines − allowances + charges');
  const tax = taxBreakdown(invoice).reduce((sum, one) => sum + one.taxAmount, 0);
  want('taxAmount', 'BR-CO-14', tax, 'the sum of the tax of each rate');
  want(
    'taxInclusiveAmount',
    'BR-CO-15',
    invoice.taxExclusiveAmount + invoice.taxAmount,
    'the amount without tax + tax',
  );
  want(
    'payableAmount',
    'BR-CO-16',
    invoice.taxInclusiveAmount - invoice.prepaidAmount,
    'the amount with tax − what was prepaid',
  );
  return broken;
}
