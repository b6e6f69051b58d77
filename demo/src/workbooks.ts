import type { Customer } from '@golden/standins';
import ExcelJS from 'exceljs';

/** The columns of the customer list. */
export const listColumns = [
  'Number',
  'Name',
  'Company',
  'E-mail',
  'Phone',
  'Street',
  'Postcode',
  'Country',
  'Account',
  'Since',
  'Note',
];

const columnWidths = [10, 26, 26, 32, 18, 26, 12, 9, 10, 12, 30];

/**
 * The customer list as the front desk has kept it by hand: the earlier customers are on it already,
 * some as they were before they changed.
 */
export async function customerList(customers: readonly Customer[]): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  const sheet = workbook.addWorksheet('Customers', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = listColumns.map((header, at) => ({ header, width: columnWidths[at] ?? 14 }));
  sheet.getRow(1).font = { bold: true };
  customers.forEach((customer, at) => {
    const row = sheet.addRow([
      String(customer.id),
      [customer.first_name, customer.last_name].filter(Boolean).join(' ').replace(/\s+/g, ' ').trim() || null,
      customer.company?.trim() ?? null,
      customer.email?.toLowerCase() ?? null,
      at % 3 === 0 ? null : customer.phone,
      customer.address.street,
      customer.address.postcode,
      customer.address.country,
      customer.account_type,
      new Date(`${customer.created_at.slice(0, 10)}T00:00:00Z`),
      at % 17 === 0 ? 'collects on Fridays' : null,
    ]);
    for (const column of [1, 5, 7]) row.getCell(column).numFmt = '@';
    row.getCell(10).numFmt = 'yyyy-mm-dd';
  });
  const openDay = workbook.addWorksheet('Open day');
  openDay.addRow(['Name', 'E-mail', 'Kiln wanted', 'Seen on']);
  openDay.addRow([
    'Tamsin Wheelwright',
    'tamsin@studio.example',
    'front loader, 120 l',
    new Date('2026-03-14T00:00:00Z'),
  ]);
  openDay.addRow(['Óskar Leirsson', 'oskar@kiln.example', null, new Date('2026-03-14T00:00:00Z')]);
  workbook.addWorksheet('Trade accounts').addRow(['Number', 'Company', 'Name', 'E-mail', 'Tax number', 'Seen']);
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

/** Who gets the newsletter, as sales have kept it by hand. */
export async function newsletterList(): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  const sheet = workbook.addWorksheet('Subscribers', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = ['E-mail', 'First name', 'Last name', 'Met at', 'Since'].map((header, at) => ({
    header,
    width: [32, 16, 20, 14, 12][at] ?? 14,
  }));
  const since = (day: string): Date => new Date(`${day}T00:00:00Z`);
  sheet.addRow(['tamsin@studio.example', 'Tamsin', 'Wheelwright', 'open day', since('2026-03-14')]);
  sheet.addRow(['alva@strand.example', 'Alva', 'Strand', 'website', since('2026-05-02')]);
  sheet.addRow(['oskar@kiln.example', 'Óskar', 'Leirsson', 'open day', since('2026-03-14')]);
  for (const row of [2, 3, 4]) sheet.getRow(row).getCell(5).numFmt = 'yyyy-mm-dd';
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

/** A price list that may be viewed only. */
export async function priceList(): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  const sheet = workbook.addWorksheet('Trade prices');
  sheet.addRow(['Article', 'Name', 'Net price']);
  sheet.addRow(['00420', 'Stoneware clay, 12.5 kg', 11.4]);
  sheet.addRow(['00421', 'Porcelain, 10 kg', 18.95]);
  sheet.addRow(['07110', 'Celadon glaze, 1 l', 14.2]);
  for (const row of [2, 3, 4]) sheet.getRow(row).getCell(1).numFmt = '@';
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

/** A list that another program exports as CSV. */
export function openDayCsv(): Buffer {
  const lines = [
    'Name,E-mail,Postcode',
    '"Earth, Fire & Sons",office@clay.example,ZZ4 2BD',
    'Zoë Ó Briain,zoe@obriain.example,00420',
  ];
  return Buffer.from(`${lines.join('\r\n')}\r\n`);
}
