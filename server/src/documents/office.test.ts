import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { officePdfMaker } from './maker.ts';
import { asOfficePdf, noOffice, officeProgram } from './office.ts';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-office-test-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** A program that is called like LibreOffice and does this with `$out`, the file that is wanted of it. */
function program(does: string): string {
  const file = join(folder, 'soffice');
  const script = `#!/bin/sh\nwhile [ "$1" != "--outdir" ]; do shift; done\nout="$2/document.pdf"\n${does}\n`;
  writeFileSync(file, script);
  chmodSync(file, 0o755);
  return file;
}

const docx = Buffer.from('any document');

test('a PDF tells nothing of when it was made: twice the same bytes, in their places', async () => {
  const making = program(
    `id=$(od -An -N16 -tx1 /dev/urandom | tr -d ' \\n' | tr a-f A-F)
printf '%%PDF-1.6\\n<</CreationDate(D:%sZ)>>\\n/ID [ <%s>\\n<%s> ]\\n/DocChecksum /%s\\n' "$(date +%Y%m%d%H%M%S)" "$id" "$id" "$id" > "$out"`,
  );
  const [one, other] = [await asOfficePdf(docx, making), await asOfficePdf(docx, making)];
  if (!('bytes' in one) || !('bytes' in other)) throw new Error('Nothing was made.');
  expect(Buffer.from(other.bytes).equals(Buffer.from(one.bytes))).toBe(true);
  const text = Buffer.from(one.bytes).toString('latin1');
  expect(text).toMatch(
    /^%PDF-1\.6\n<<\/CreationDate\(D:19700101000000Z\)>>\n\/ID \[ <[0-9A-F]{32}>\n<[0-9A-F]{32}> \]\n/,
  );
  const another = await asOfficePdf(Buffer.from('another document'), making);
  expect('bytes' in another && Buffer.from(another.bytes).toString('latin1')).not.toBe(text);
});

test('a program that fails, or makes nothing, is told; nothing is left behind', async () => {
  const before = readdirSync(tmpdir()).filter((name) => name.startsWith('golden-office-') && !name.includes('-test-'));
  expect(await asOfficePdf(docx, program('exit 3'))).toEqual({
    problem: expect.stringMatching(/^LibreOffice couldn’t make a PDF of it: /),
  });
  expect(await asOfficePdf(docx, program('exit 0'))).toEqual({ problem: expect.stringMatching(/couldn’t make a PDF/) });
  const after = readdirSync(tmpdir()).filter((name) => name.startsWith('golden-office-') && !name.includes('-test-'));
  expect(after).toEqual(before);
});

test('where it isn’t installed, that is said instead of making something else', async () => {
  expect(officeProgram('')).toBeUndefined();
  expect(officeProgram(`/nowhere:${folder}`)).toBeUndefined();
  program('exit 0');
  expect(officeProgram(`/nowhere:${folder}`)).toBe(join(folder, 'soffice'));
  expect(await asOfficePdf(docx, undefined)).toEqual(officeProgram() ? expect.anything() : { problem: noOffice });
});

test('LibreOffice itself makes a PDF that says what the DOCX says; where there is none, the record gets no document', async () => {
  const template = readFileSync(join(__dirname, '../../testdata/documents/delivery-note.docx'));
  const record = {
    number: 'D-17',
    customer: { name: 'Zoë' },
    remark: '',
    total: '5.00',
    lines: [{ description: 'Clay', quantity: 1, net: '5.00' }],
  };
  const maker = officePdfMaker(template);
  const { bytes, problems } = await maker.make(record, '');
  if (officeProgram() === undefined) {
    expect([problems, await maker.problemsOf(record)]).toEqual([[noOffice], [noOffice]]);
    return;
  }
  expect(problems).toEqual([]);
  const file = join(folder, 'made.pdf');
  writeFileSync(file, bytes);
  expect(execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' })).toContain('Delivery note D-17');
});
