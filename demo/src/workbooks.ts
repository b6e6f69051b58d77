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
export async function newsletterWorkbook(): Promise<Buffer> {
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

/** Who begins at the firm, as the partner's office keeps it. */
export async function newPeople(): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  const sheet = workbook.addWorksheet('New people', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = ['First name', 'Last name', 'E-mail', 'Department', 'First day'].map((header, at) => ({
    header,
    width: [16, 20, 34, 16, 12][at] ?? 14,
  }));
  const day = (text: string): Date => new Date(`${text}T00:00:00Z`);
  sheet.addRow(['Noor', 'van der Berg', 'noor.vanderberg@saltmarsh.example', 'Warehouse', day('2026-12-07')]);
  sheet.addRow(['Łukasz', 'Żak', 'lukasz.zak@saltmarsh.example', 'Kilns', day('2026-12-07')]);
  sheet.addRow(['Ines', 'Quayle', 'ines.quayle@saltmarsh.example', 'Shop', day('2026-12-14')]);
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

/** The empty lists into which the bookkeeper writes payments, refunds and open items. */
export async function paymentList(): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  workbook.addWorksheet('Payments').addRow(['Invoice', 'Paid on', 'Amount', 'Currency', 'Remark']);
  workbook.addWorksheet('Refunds').addRow(['Order no.', 'Refunded on', 'Amount', 'Currency', 'Why']);
  workbook
    .addWorksheet('Open items')
    .addRow(['Invoice no.', 'Customer', 'Issued', 'Due', 'Net', 'VAT', 'Gross', 'Still to pay']);
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

/** Customers as a French office keeps them. */
export function frenchCsv(): Buffer {
  const heads = 'Raison sociale;Nom du contact;Courriel;Téléphone;Adresse;Code postal;Ville;Pays;N° TVA';
  const rows = [
    'Terre et Feu SARL;Camille Roux;camille@terre.example;;12 rue du Four;29000;Quimper;FR;FR 40 303265045',
    'Atelier du Grès SAS;Élodie Le Goff;elodie@gres.example;;3 quai des Potiers;44000;Nantes;FR;',
    'Céramique Duval;Duval, Jean-Luc;jl@duval.example;;8 place du Tour;35000;Rennes;France;',
    'Faïencerie Martin SARL;Noémie Martin;noemie@martin.example;;1 impasse Émail;56000;Vannes;FR;',
  ];
  return Buffer.from([heads, ...rows, ''].join('\r\n'));
}

/** Firms as a Polish office keeps them. */
export function polishCsv(): Buffer {
  const rows = [
    'Nazwa firmy;NIP;Ulica;Kod pocztowy;Miasto;Kraj;Telefon;E-mail;Uwagi',
    'Ceramika Nowak sp. z o.o.;525-000-11-22;Garncarska 4;31-115;Kraków;PL;;biuro@nowak.example;',
    'Piece i Glina S.A.;;Młyńska 12;61-730;Poznań;Polska;;info@piece.example;stały klient',
    'Pracownia Zduńska;;Lipowa 3;20-020;Lublin;PL;;;',
  ];
  return Buffer.from([...rows, ''].join('\r\n'));
}
