import { execFile } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { promisify } from 'node:util';

// A DOCX becomes a PDF by LibreOffice, where it is installed: it draws the document as a word processor does.

const run = promisify(execFile);

/** Far beyond what one document takes: it ends what hangs. */
const longest = 300_000;

/** Where LibreOffice is; undefined where it isn't installed. */
export function officeProgram(path = process.env['PATH'] ?? ''): string | undefined {
  return path
    .split(delimiter)
    .flatMap((folder) => ['soffice', 'libreoffice'].map((name) => join(folder, name)))
    .find((file) => existsSync(file));
}

export const noOffice = 'LibreOffice isn’t installed on this machine, so a DOCX can’t become a PDF here.';

/** The PDF of a DOCX, or why there is none. */
export async function asOfficePdf(
  docx: Uint8Array,
  program = officeProgram(),
): Promise<{ readonly bytes: Uint8Array } | { readonly problem: string }> {
  if (program === undefined) return { problem: noOffice };
  const folder = await mkdtemp(join(tmpdir(), 'golden-office-'));
  try {
    await writeFile(join(folder, 'document.docx'), docx);
    // A profile of its own: one that is open on this machine would take the document over.
    const profile = `-env:UserInstallation=${pathToFileURL(join(folder, 'profile')).href}`;
    const args = [profile, '--headless', '--norestore', '--convert-to', 'pdf', '--outdir', folder];
    await run(program, [...args, join(folder, 'document.docx')], {
      timeout: longest,
      // Nothing in it tells when it was made: the same values give the same bytes.
      env: { ...process.env, SOURCE_DATE_EPOCH: '0' },
    });
    return { bytes: await readFile(join(folder, 'document.pdf')) };
  } catch (error) {
    return { problem: `LibreOffice couldn’t make a PDF of it: ${(error as Error).message}` };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
