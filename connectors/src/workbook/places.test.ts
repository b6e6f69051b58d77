import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PlannedWrite } from '@golden/core';
import ExcelJS from 'exceljs';
import { NoRight, NotThere, Refused } from '../errors.ts';
import { FolderStore } from './folder-store.ts';
import { WorkbookConnector } from './workbook-connector.ts';

// Places made from here, and the awkward ones that people have: each with its sentence, nothing lost.

let folder: string;
let connector: WorkbookConnector;

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-places-'));
  connector = new WorkbookConnector(new FolderStore(folder));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const put = (name: string, bytes: string | Buffer): void => writeFileSync(join(folder, name), bytes);

async function book(tabs: Readonly<Record<string, readonly (readonly (string | number | null)[])[]>>): Promise<Buffer> {
  const workbook = new ExcelJS.Workbook();
  for (const [name, rows] of Object.entries(tabs)) {
    const sheet = workbook.addWorksheet(name);
    for (const row of rows) sheet.addRow([...row]);
  }
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

describe('what is missing is made', () => {
  test('a file with a tab and its columns, as .xlsx or .csv', async () => {
    expect(
      await connector.addPlace({ above: [], name: 'Enquiries', tab: 'May', columns: ['Name', ' E-mail '] }),
    ).toEqual(['Enquiries.xlsx', 'May']);
    expect(await connector.addPlace({ above: [], name: 'list.csv', columns: ['A, B', 'C'] })).toEqual([
      'list.csv',
      'list',
    ]);
    const made = await connector.describe(['Enquiries.xlsx', 'May']);
    expect(made.fields.map((field) => field.label)).toEqual(['Name', 'E-mail']);
    expect(readFileSync(join(folder, 'list.csv'), 'utf8')).toBe('"A, B",C\r\n');
  });

  test('a tab beside others, and a column after the last, with every row kept', async () => {
    put(
      'list.xlsx',
      await book({
        Customers: [
          ['Name', 'Phone'],
          ['Ada', '00420'],
          ['Bo', null],
        ],
      }),
    );
    await connector.addPlace({ above: ['list.xlsx'], name: 'Trade', columns: ['Number'] });
    await connector.addColumns(['list.xlsx', 'Customers'], ['E-mail', 'Since']);
    const { records } = await connector.list({ path: ['list.xlsx', 'Customers'] });
    expect(records.map((one) => one.record)).toEqual([
      { Name: 'Ada', Phone: '00420', 'E-mail': null, Since: null },
      { Name: 'Bo', Phone: null, 'E-mail': null, Since: null },
    ]);
    expect((await connector.places(['list.xlsx'])).map((one) => one.label)).toEqual(['Customers', 'Trade']);
  });

  test('a column of a CSV file', async () => {
    put('list.csv', 'Name;Phone\nAda;1\nBo\n');
    await connector.addColumns(['list.csv', 'list'], ['E-mail']);
    expect(readFileSync(join(folder, 'list.csv'), 'utf8')).toBe('Name;Phone;E-mail\nAda;1;\nBo;;\n');
  });

  test.each([
    [{ above: [], name: 'a/b', columns: ['x'] }, 'can’t be a file’s name'],
    [{ above: [], name: 'there', columns: ['x'] }, 'is there already'],
    [{ above: ['there.xlsx'], name: 'customers', columns: ['x'] }, 'has a tab “customers” already'],
    [{ above: ['there.xlsx'], name: 'What? [now]', columns: ['x'] }, 'can’t be a tab’s name'],
    [{ above: ['there.xlsx'], name: 'Tab\u0001le', columns: ['x'] }, 'can’t be a tab’s name'],
    [{ above: ['there.xlsx'], name: 'x'.repeat(32), columns: ['x'] }, 'can’t be a tab’s name'],
    [{ above: ['there.xlsx'], name: 'New', columns: [' '] }, 'at least one column'],
    [{ above: ['one.csv'], name: 'New', columns: ['x'] }, 'has just one tab'],
  ])('%j is refused, and nothing changes', async (place, sentence) => {
    put('there.xlsx', await book({ Customers: [['Name']] }));
    put('one.csv', 'a\n1\n');
    const before = readFileSync(join(folder, 'there.xlsx'));
    await expect(connector.addPlace(place)).rejects.toThrow(sentence);
    expect(readFileSync(join(folder, 'there.xlsx'))).toEqual(before);
  });

  test('a column of a name that is there is refused; a file that may only be read as well', async () => {
    put('there.xlsx', await book({ Customers: [['Name']] }));
    await expect(connector.addColumns(['there.xlsx', 'Customers'], ['Name'])).rejects.toThrow(Refused);
    put('western.csv', Buffer.from([0x4e, 0xe9, 0x0a]));
    await expect(connector.addColumns(['western.csv', 'western'], ['x'])).rejects.toThrow(NoRight);
  });

  test('a tab that is full to its last row or column says so, and stays as it is', async () => {
    const workbook = new ExcelJS.Workbook();
    const tab = workbook.addWorksheet('Full');
    tab.getCell('A1').value = 'Name';
    tab.getCell('XFD1').value = 'Last';
    tab.getCell('A1048576').value = 'Ada';
    put('full.xlsx', Buffer.from(await workbook.xlsx.writeBuffer()));
    const before = readFileSync(join(folder, 'full.xlsx'));
    await expect(connector.addColumns(['full.xlsx', 'Full'], ['x'])).rejects.toThrow('no room for another column');
    const write: PlannedWrite = {
      kind: 'create',
      target: { path: ['full.xlsx', 'Full'] } as unknown as PlannedWrite['target'],
      values: { '/Name': 'Zoë' },
      types: { '/Name': 'text' },
    };
    await expect(connector.create({ token: 't', write })).rejects.toThrow('is full: a tab has 1,048,576 rows');
    expect(readFileSync(join(folder, 'full.xlsx'))).toEqual(before);
  });
});

describe('awkward files', () => {
  test('no workbook at all, though it is called so', async () => {
    put('letter.xlsx', 'Dear customer');
    await expect(connector.places(['letter.xlsx'])).rejects.toThrow(
      '“letter.xlsx” can’t be read. This is not an .xlsx workbook',
    );
  });

  test('an empty tab says what to do', async () => {
    put('empty.xlsx', await book({ Sheet: [] }));
    await expect(connector.describe(['empty.xlsx', 'Sheet'])).rejects.toThrow(NotThere);
    await expect(connector.describe(['empty.xlsx', 'Sheet'])).rejects.toThrow('no column names in its first row');
  });

  test('columns without a name are usable by their letter, and those with one name apart', async () => {
    put(
      'odd.xlsx',
      await book({
        Sheet: [
          ['Name', null, 'Name'],
          ['Ada', 'x', 'Lovelace'],
        ],
      }),
    );
    const { fields } = await connector.describe(['odd.xlsx', 'Sheet']);
    expect(fields.map((field) => field.label)).toEqual(['Name (A)', 'column B', 'Name (C)']);
    const { records } = await connector.list({ path: ['odd.xlsx', 'Sheet'] });
    expect(records[0]?.record).toEqual({ 'Name (A)': 'Ada', 'column B': 'x', 'Name (C)': 'Lovelace' });
  });

  test('three hundred columns', async () => {
    const names = Array.from({ length: 300 }, (_, at) => `Column ${at + 1}`);
    put('wide.xlsx', await book({ Sheet: [names, names.map((_, at) => at)] }));
    const { fields } = await connector.describe(['wide.xlsx', 'Sheet']);
    expect(fields).toHaveLength(300);
    expect(fields[299]).toMatchObject({ label: 'Column 300', type: 'decimal' });
  });

  test.each([
    ['semicolons', 'Name;Sum\nAda;1,5\n', { Name: 'Ada', Sum: '1,5' }],
    ['tabs', 'Name\tSum\nAda\t1\n', { Name: 'Ada', Sum: '1' }],
  ])('a CSV file separated by %s', async (_what, text, record) => {
    put('list.csv', text);
    const { records } = await connector.list({ path: ['list.csv', 'list'] });
    expect(records[0]?.record).toEqual(record);
  });

  test('a file in another encoding is read, said to be read only, and left as it is', async () => {
    const bytes = Buffer.from([0x4e, 0x61, 0x6d, 0x65, 0x0a, 0x5a, 0x6f, 0xeb, 0x0a]);
    put('western.csv', bytes);
    const described = await connector.describe(['western.csv', 'western']);
    expect(described.readOnlyBecause).toContain('Save it as “CSV UTF-8”');
    expect(described.can).toMatchObject({ list: true, create: false });
    expect((await connector.list({ path: ['western.csv', 'western'] })).records[0]?.record).toEqual({ Name: 'Zoë' });
    expect(readFileSync(join(folder, 'western.csv'))).toEqual(bytes);
  });

  test('a folder among the files is no place', async () => {
    mkdirSync(join(folder, 'archive.xlsx'));
    await expect(connector.places(['archive.xlsx'])).rejects.toThrow(NoRight);
  });
});
