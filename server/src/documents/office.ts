import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
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

/**
 * A PDF that tells nothing of when it was made, so that the same values give the same bytes: its dates and the ids of
 * this one making (ISO 32000-1, 14.3.3 and 14.4) are replaced by others of the same length.
 */
function timeless(pdf: Buffer, made: Uint8Array): Buffer {
  const id = createHash('sha256').update(made).digest('hex').slice(0, 32).toUpperCase();
  const text = pdf
    .toString('latin1')
    .replace(/(\/(?:CreationDate|ModDate)\(D:)\d{14}/g, (_all, before: string) => `${before}19700101000000`)
    .replace(/(\/ID\s*\[\s*<)[0-9A-F]{32}(>\s*<)[0-9A-F]{32}/g, `$1${id}$2${id}`)
    .replace(/(\/DocChecksum\s*\/)[0-9A-F]{32}/g, `$1${id}`);
  return Buffer.from(text, 'latin1');
}

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
    await run(program, [...args, join(folder, 'document.docx')], { timeout: longest });
    return { bytes: timeless(await readFile(join(folder, 'document.pdf')), docx) };
  } catch (error) {
    return { problem: `LibreOffice couldn’t make a PDF of it: ${(error as Error).message}` };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
