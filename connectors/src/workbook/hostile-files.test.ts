import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import JSZip from 'jszip';
import { NoRight, NotThere } from '../errors.ts';
import { BookThread } from './book-thread.ts';
import { FolderStore } from './folder-store.ts';
import { openBook } from './open-book.ts';
import { Package } from './xlsx/package.ts';

// What a folder and the files in it can hold against whoever opens them.

let above: string;
let folder: string;
beforeEach(() => {
  above = mkdtempSync(join(tmpdir(), 'golden-hostile-'));
  folder = join(above, 'folder');
  mkdirSync(folder);
  writeFileSync(join(above, 'secret.key'), 'Name\nour own key\n');
  writeFileSync(join(folder, 'own.csv'), 'Name\nAda\n');
});
afterEach(() => rmSync(above, { recursive: true, force: true }));

describe('a folder on this machine', () => {
  test('a link that leads out of it is neither listed nor read nor written', async () => {
    symlinkSync(join(above, 'secret.key'), join(folder, 'out.csv'));
    symlinkSync('/etc/passwd', join(folder, 'users.csv'));
    symlinkSync(above, join(folder, 'up'));
    symlinkSync(join(folder, 'own.csv'), join(folder, 'alias.csv'));
    const store = new FolderStore(folder);
    expect((await store.list()).map(({ name }) => name)).toEqual(['alias.csv', 'own.csv']);
    await expect(store.take('out.csv')).rejects.toThrow(NoRight);
    await expect(store.take('users.csv')).rejects.toThrow('leads out of the folder');
    await expect(store.take('up/secret.key')).rejects.toThrow(NotThere);
    await expect(store.replace('out.csv', Buffer.from('x'), 'any')).rejects.toThrow(NoRight);
    // One that stays within is the file that it leads to, also after writing.
    const taken = await store.take('alias.csv');
    await store.replace('alias.csv', Buffer.from('Name\nZoë\n'), (taken as { etag: string }).etag);
    expect(readFileSync(join(folder, 'own.csv'), 'utf8')).toBe('Name\nZoë\n');
    expect(readFileSync(join(above, 'secret.key'), 'utf8')).toBe('Name\nour own key\n');
  });

  test('a link that waits under the name of our own part is not written through', async () => {
    symlinkSync(join(above, 'secret.key'), join(folder, 'own.csv.golden-part'));
    symlinkSync(join(above, 'secret.key'), join(folder, 'new.csv.golden-part'));
    const store = new FolderStore(folder);
    const { etag } = (await store.take('own.csv')) as { etag: string };
    await store.replace('own.csv', Buffer.from('Name\nTom\n'), etag);
    await store.add('new.csv', Buffer.from('Name\n'));
    expect(readFileSync(join(above, 'secret.key'), 'utf8')).toBe('Name\nour own key\n');
    expect(readFileSync(join(folder, 'own.csv'), 'utf8')).toBe('Name\nTom\n');
  });

  test('who may read and write a file stays as it was, whatever is usual for our own', async () => {
    const usual = process.umask(0o077);
    try {
      chmodSync(join(folder, 'own.csv'), 0o664);
      chmodSync(folder, 0o750);
      const store = new FolderStore(folder);
      const { etag } = (await store.take('own.csv')) as { etag: string };
      await store.replace('own.csv', Buffer.from('Name\nTom\n'), etag);
      await store.add('new.csv', Buffer.from('Name\n'));
      const modeOf = (name: string): number => statSync(join(folder, name)).mode & 0o777;
      expect([modeOf('own.csv'), modeOf('new.csv')]).toEqual([0o664, 0o640]);
    } finally {
      process.umask(usual);
    }
  });

  test('what is no file doesn’t hold anything up, and one too large is told', async () => {
    execFileSync('mkfifo', [join(folder, 'pipe.csv')]);
    mkdirSync(join(folder, 'folder.csv'));
    execFileSync('truncate', ['-s', '65M', join(folder, 'large.csv')]);
    const store = new FolderStore(folder);
    await expect(store.take('pipe.csv')).rejects.toThrow(NoRight);
    await expect(store.take('folder.csv')).rejects.toThrow('can’t be read as a file');
    await expect(store.take('large.csv')).rejects.toThrow('larger than 64 MB');
    await expect(store.take('gone.csv')).rejects.toThrow('no file “gone.csv”');
    await expect(store.replace('gone.csv', Buffer.from(''), 'x')).rejects.toThrow(NotThere);
  });
});

describe('a workbook made to harm', () => {
  let thread: BookThread;
  beforeEach(() => {
    thread = new BookThread({ memory: 96, time: 60_000 });
  });
  afterEach(() => thread.stop());

  const sheet1 = 'xl/worksheets/sheet1.xml';

  /** A workbook with one small tab, its XML changed before it is packed. */
  async function made(change: (xml: string) => string, part = sheet1): Promise<Uint8Array> {
    const book = new ExcelJS.Workbook();
    const tab = book.addWorksheet('Stock');
    tab.addRow(['Article', 'Net']);
    tab.addRow(['clay', 11.4]);
    const zip = await JSZip.loadAsync(await book.xlsx.writeBuffer());
    zip.file(part, change((await zip.file(part)?.async('string')) ?? ''));
    return zip.generateAsync({ type: 'uint8array', compression: 'DEFLATE' });
  }
  const beforeEnd = (more: string) => (xml: string) => xml.replace('</sheetData>', `</sheetData>${more}`);

  test('one cell in the last column of all makes one column, not 16,384', async () => {
    const book = await openBook('x.xlsx', await made((xml) => xml.replace('</row>', '<c r="XFD1"><v>7</v></c></row>')));
    expect(book.sheets[0]?.columns.map(({ index, name }) => [index, name])).toEqual([
      [1, 'Article'],
      [2, 'Net'],
      [16_384, '7'],
    ]);
    expect(book.sheets[0]?.rows).toEqual([{ number: 2, record: { Article: 'clay', Net: 11.4, 7: null } }]);
  });

  test.each([
    ['merged cells', beforeEnd('<mergeCells count="1"><mergeCell ref="A1:XFD60000"/></mergeCells>'), sheet1],
    [
      'checked cells',
      beforeEnd('<dataValidations><dataValidation type="whole" sqref="A1:XFD1048576"/></dataValidations>'),
      sheet1,
    ],
    [
      'a named range',
      (xml: string) =>
        xml.replace(
          '</sheets>',
          '</sheets><definedNames><definedName name="All">Stock!$A$1:$XFD$1048576</definedName></definedNames>',
        ),
      'xl/workbook.xml',
    ],
  ])('%s over the whole tab cost nothing: they are two corners', async (_kind, change, part) => {
    const book = await openBook('x.xlsx', await made(change, part));
    expect(book.sheets[0]?.rows).toEqual([{ number: 2, record: { Article: 'clay', Net: 11.4 } }]);
  });

  /** A tab of many rows, each with a text of its own. */
  const long = (rows: number) => (xml: string) =>
    xml.replace(
      '</sheetData>',
      `${Array.from({ length: rows }, (_, at) => `<row r="${at + 3}"><c r="A${at + 3}" t="inlineStr"><is><t>article ${at} with a name of its own</t></is></c></row>`).join('')}</sheetData>`,
    );

  test('one that needs more memory than there is ends the thread alone; the next file is read, and saved', async () => {
    await expect(openBook('x.xlsx', await made(long(350_000)), thread)).rejects.toThrow('more than 96 MB of memory');
    const book = await openBook('x.xlsx', await made(long(15_000)), thread);
    expect(book.sheets[0]?.rows).toHaveLength(15_001);
    book.setCells('Stock', 15_003, [{ column: 1, value: 'glaze', type: 'text' }]);
    const again = await openBook('x.xlsx', await book.save(), thread);
    expect(again.sheets[0]?.rows.at(-1)).toEqual({ number: 15_003, record: { Article: 'glaze', Net: null } });
  });

  test('one that takes too long is given up, and what waits behind it is read', async () => {
    const hasty = new BookThread({ memory: 512, time: 1 });
    const slow = await made(long(20_000));
    const given = openBook('slow.xlsx', slow, hasty);
    await expect(given).rejects.toThrow('takes too long');
    await hasty.stop();
    expect((await openBook('slow.xlsx', slow, thread)).sheets).toHaveLength(1);
  });

  test('what unpacks to too much, or to more than it says, is refused before it is unpacked', async () => {
    const zip = new JSZip();
    zip.file(sheet1, Buffer.alloc(6 * 1024 * 1024, ' '));
    const bomb = Buffer.from(await zip.generateAsync({ type: 'uint8array', compression: 'DEFLATE' }));
    await expect(openBook('x.xlsx', bomb)).rejects.toThrow('packed more tightly than any workbook');
    // Central directory header (APPNOTE 4.3.12): signature, and the size unpacked 24 bytes on.
    const at = bomb.lastIndexOf(Buffer.from([0x50, 0x4b, 0x01, 0x02]));
    bomb.writeUInt32LE(0xfffffff0, at + 24);
    await expect(openBook('x.xlsx', bomb)).rejects.toThrow('unpacks to more than 320 MB');
    bomb.writeUInt32LE(1000, at + 24);
    await expect(openBook('x.xlsx', bomb)).rejects.toThrow('damaged');
  });

  test('thousands of parts, a cut file and bytes that are none are told', async () => {
    const zip = new JSZip();
    for (let at = 0; at < 5001; at++) zip.file(`xl/p${at}.xml`, '');
    const many = await zip.generateAsync({ type: 'uint8array' });
    expect(() => Package.open(many)).toThrow('more than 5,000 parts');
    const whole = await made((xml) => xml);
    await expect(openBook('x.xlsx', whole.slice(0, whole.length / 2))).rejects.toThrow('not an .xlsx workbook');
    await expect(openBook('x.xlsx', new Uint8Array(64 * 1024 * 1024 + 1))).rejects.toThrow('larger than 64 MB');
    await expect(openBook('x.xlsx', new Uint8Array(0))).rejects.toThrow('not an .xlsx workbook');
  });
});

describe('a CSV file made to harm', () => {
  let thread: BookThread;
  beforeEach(() => {
    thread = new BookThread({ memory: 512, time: 60_000 });
  });
  afterEach(() => thread.stop());

  test('thousands of columns, and rows of many of them, are refused with a sentence', async () => {
    const columns = (count: number): string => Array.from({ length: count }, (_, at) => `c${at}`).join(',');
    await expect(openBook('x.csv', Buffer.from(`${columns(2001)}\n1\n`), thread)).rejects.toThrow(
      '2,001 columns; up to 2,000 are read',
    );
    await expect(openBook('x.csv', Buffer.from(`${columns(2000)}\n${'1\n'.repeat(30_001)}`), thread)).rejects.toThrow(
      'more than 60,000,000 cells',
    );
    await expect(openBook('x.csv', Buffer.from(`a${','.repeat(400_000)}`), thread)).rejects.toThrow('400,001 columns');
  });

  test('a large one is read in the thread, row for row the same; and saved there', async () => {
    const text = `No,Name\r\n${Array.from({ length: 30_000 }, (_, at) => `${at},"Ada, ${at}"`).join('\r\n')}\r\n`;
    const book = await openBook('x.csv', Buffer.from(text), thread);
    expect(book.sheets[0]?.rows).toHaveLength(30_000);
    expect(book.sheets[0]?.rows.at(-1)).toEqual({ number: 30_001, record: { No: '29999', Name: 'Ada, 29999' } });
    book.setCells('x', 2, [{ column: 2, value: 'Zoë', type: 'text' }]);
    const saved = Buffer.from(await book.save()).toString();
    expect(saved.startsWith('No,Name\r\n0,Zoë\r\n1,"Ada, 1"\r\n2,"Ada, 2"\r\n')).toBe(true);
    expect(saved.length).toBe(text.length - '"Ada, 0"'.length + 'Zoë'.length);
    expect(book.anew().sheets).toBe(book.sheets);
  });
});
