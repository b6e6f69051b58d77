import Papa from 'papaparse';
import { type CellChange, type EditableWorkbook, nameColumns, type Sheet, UnreadableWorkbook } from './sheet.ts';

/**
 * Reads a CSV file (RFC 4180) with its first row as column names; it has one tab, called after the
 * file. Its separator, line ends and byte order mark are kept on saving. All values are text.
 * @throws UnreadableWorkbook when a quote isn't closed or the bytes are no UTF-8
 */
export function readCsv(name: string, bytes: Uint8Array): EditableWorkbook {
  const text = decode(bytes);
  const parsed = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const fault = parsed.errors.find((error) => error.type === 'Quotes');
  if (fault) throw new UnreadableWorkbook(`In row ${(fault.row ?? 0) + 1} a quotation mark isn’t closed.`);
  const rows = parsed.data.map((row) => [...row]);
  const tab = name.replace(/\.csv$/i, '');
  return {
    get sheets() {
      return [toSheet(tab, rows)];
    },
    setCells(_tab, row, cells) {
      const width = Math.max(rows[0]?.length ?? 0, ...cells.map((cell) => cell.column));
      while (rows.length < row) rows.push(Array.from({ length: width }, () => ''));
      for (const cell of cells) setCell(rows[row - 1] as string[], cell);
    },
    deleteRow(_tab, row) {
      rows.splice(row - 1, 1);
    },
    async save() {
      const newline = text.includes('\r\n') || !text.includes('\n') ? '\r\n' : '\n';
      const delimiter = rows.length > 0 && parsed.meta.delimiter ? parsed.meta.delimiter : ',';
      const body = Papa.unparse(rows, { newline, delimiter });
      return new TextEncoder().encode(`${text.startsWith('\ufeff') ? '\ufeff' : ''}${body}${newline}`);
    },
  };
}

function decode(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch (error) {
    throw new UnreadableWorkbook('Its characters are not UTF-8. Save it again as “CSV UTF-8”.', { cause: error });
  }
}

function toSheet(name: string, rows: readonly (readonly string[])[]): Sheet {
  const names = nameColumns((rows[0] ?? []).map((header) => header.trim()));
  return {
    name,
    columns: names.map((column, at) => ({ index: at + 1, name: column, type: 'text' })),
    rows: rows.slice(1).map((row, at) => ({
      number: at + 2,
      record: Object.fromEntries(names.map((column, index) => [column, row[index] ?? null])),
    })),
  };
}

function setCell(row: string[], { column, value }: CellChange): void {
  while (row.length < column) row.push('');
  row[column - 1] = value === null ? '' : String(value);
}
