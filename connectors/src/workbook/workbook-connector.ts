import {
  canonicalText,
  type Found,
  formatPointer,
  isSameValue,
  type JsonRecord,
  keyText,
  type Pointer,
  type RecordType,
  readPointer,
  type Value,
} from '@golden/core';
import Papa from 'papaparse';
import type {
  BatchResult,
  BatchWriter,
  Connector,
  HandIns,
  Health,
  ListRequest,
  NewPlace,
  Page,
  PlaceChoice,
  PlaceMaker,
  Replacement,
  SettleBy,
  SourceRecord,
  WriteRequest,
  Written,
} from '../connector.ts';
import { Changed, Drifted, NoRight, NotThere, Refused } from '../errors.ts';
import { CsvRows } from './csv-rows.ts';
import type { FileStore } from './file-store.ts';
import { hash } from './hash.ts';
import { odsIsOnlyRead } from './ods.ts';
import { openBook } from './open-book.ts';
import { RowListings, RowNames } from './row-listings.ts';
import { lastOfSeries } from './series.ts';
import { SharedCalls } from './shared-calls.ts';
import {
  cellsOf,
  type EditableWorkbook,
  isCsv,
  isOds,
  isXlsx,
  type Sheet,
  type SheetRow,
  UnreadableWorkbook,
} from './sheet.ts';
import { newXlsx, whyEmptied } from './xlsx.ts';

interface OpenFile {
  readonly name: string;
  readonly etag: string;
  readonly bytes: Uint8Array;
  readonly mayWrite: boolean;
  readonly readOnlyBecause?: string;
  readonly workbook: EditableWorkbook;
  /** Places of rows by folded key, made when a column is first looked up. */
  readonly indexes: Map<string, Promise<ReadonlyMap<string, readonly number[]>>>;
  /** Rows of a tab by their number as text, made when one is first asked for. */
  readonly numbered: Map<string, Map<string, SheetRow>>;
}

/**
 * Tabs of workbook files. A row is named by its number while one copy of the file is looked at;
 * every write checks that the row still holds what it was planned on.
 */
export class WorkbookConnector implements Connector, BatchWriter, PlaceMaker {
  readonly settleBy: SettleBy = 'lookup';
  readonly batch: BatchWriter = this;
  readonly shape: PlaceMaker = this;
  private readonly open = new Map<string, Promise<OpenFile>>();
  /** What was listed last of each tab, and under which mark. */
  private readonly listed = new Map<
    string,
    { readonly mark: string; readonly records: ReadonlyMap<string, JsonRecord> }
  >();
  private readonly listings = new RowListings();
  private readonly taking = new SharedCalls<OpenFile>();

  constructor(private readonly store: FileStore) {}

  get handIns(): HandIns {
    return this.store.handIns;
  }

  async health(): Promise<Health> {
    const { account, id, mayWrite, readOnlyBecause } = await this.store.whoAmI();
    const files = await this.store.list();
    return {
      signedInAs: account,
      ...(id && { account: id }),
      sees: files.map((file) => file.name),
      mayRead: true,
      mayWrite,
      ...(readOnlyBecause && { readOnlyBecause }),
      places: files.map((file) => ({ label: file.name, mayWrite: file.mayWrite })),
    };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    const [name] = path;
    if (name === undefined) {
      const files = await this.store.list();
      return files.map((file) => ({
        id: file.name,
        label: file.name,
        isPlace: false,
        ...(!file.mayWrite && { remark: 'view only' }),
      }));
    }
    const file = await this.take(name);
    return file.workbook.sheets.map((sheet) => ({
      id: sheet.name,
      label: sheet.name,
      isPlace: true,
      holds: sheet.rows.length,
    }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const { file, sheet } = await this.at(path);
    if (sheet.columns.length === 0) {
      throw new NotThere(`“${sheet.name}” has no column names in its first row. Write them there, then look again.`);
    }
    const readOnlyBecause = whyReadOnly(file);
    return {
      name: sheet.name,
      singular: 'row',
      plural: 'rows',
      fields: sheet.columns.map((column) => ({
        path: formatPointer([column.name]),
        label: column.name,
        type: column.type,
        ...(isXlsx(file.name) && column.type !== 'date' && { maxLength: mostInCell }),
        ...(isCsv(file.name) && { readsFormulas: true }),
      })),
      can: { list: true, find: true, create: !readOnlyBecause, update: !readOnlyBecause, readBack: true },
      ...(readOnlyBecause && { readOnlyBecause }),
    };
  }

  async placeMark(path: readonly string[]): Promise<string | undefined> {
    const { file } = await this.at(path);
    return markOf(file);
  }

  async list({ path, identity, unlessAsAt, cursor }: ListRequest): Promise<Page> {
    const { file, sheet } = await this.at(path);
    const key = JSON.stringify([path, identity]);
    if (sheet.rows instanceof CsvRows) return this.listings.page(key, markOf(file), sheet.rows, identity, cursor);
    const names = new RowNames(identity);
    const records: SourceRecord[] = [];
    for await (const row of inTurns(sheet.rows)) records.push({ id: names.of(row), record: row.record });
    return this.leavingOut(key, unlessAsAt, markOf(file), records);
  }

  /** Of a listing what has changed since one of that mark, where that is the last that was given. */
  private leavingOut(
    key: string,
    unlessAsAt: string | undefined,
    mark: string | undefined,
    records: readonly SourceRecord[],
  ): Page {
    const last = this.listed.get(key);
    this.listed.delete(key);
    if (mark !== undefined)
      this.listed.set(key, { mark, records: new Map(records.map(({ id, record }) => [id, record])) });
    if (unlessAsAt === undefined || last?.mark !== unlessAsAt) return { records, cursor: null };
    const changed = records.filter(({ id, record }) => !isSameRow(last.records.get(id), record));
    return { records: changed, cursor: null, unchanged: records.length - changed.length };
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    const { file, sheet } = await this.at(path);
    const row = rowOf(file, sheet, id);
    return row ? { id, record: row.record } : null;
  }

  async find(
    path: readonly string[],
    by: { readonly path: Pointer; readonly value: Value },
  ): Promise<readonly Found[]> {
    const { file, sheet } = await this.at(path);
    const column = sheet.columns.find((one) => formatPointer([one.name]) === by.path);
    if (!column)
      throw new Drifted(`“${sheet.name}” has no column “${by.path.slice(1)}” any more. Nothing was written.`);
    const places = (await indexOf(file, sheet, by.path)).get(keyText(by.value)) ?? [];
    return places.flatMap((at) => sheet.rows.at(at) ?? []).map(toFound);
  }

  create(request: WriteRequest): Promise<Written> {
    return this.writeOne(request);
  }

  update(request: WriteRequest): Promise<Written> {
    return this.writeOne(request);
  }

  /** Takes a row out again, only while it still holds what is expected of it. */
  async remove(path: readonly string[], id: string, expected: JsonRecord | undefined): Promise<string | undefined> {
    const [name = '', tab = ''] = path;
    const file = await this.fresh(name);
    const sheet = sheetOf(file, tab);
    // The row's number alone says nothing: somebody may have put rows in, or typed into this one.
    const isOurs = (one: SheetRow): boolean =>
      expected !== undefined && canonicalText(one.record) === canonicalText(expected);
    const named = rowOf(file, sheet, id);
    const row = named && isOurs(named) ? named : await lastOf(sheet.rows, isOurs);
    if (!row) throw new Changed(`The row isn’t in “${tab}” any more as it was written. Nothing was removed.`);
    file.workbook.deleteRow(tab, row.number);
    const why = isXlsx(name) ? await whyEmptied(file.bytes, tab) : undefined;
    await this.replace(file, await file.workbook.save());
    return why && `Row ${row.number} of “${tab}” was emptied and not closed up: ${why}.`;
  }

  async addPlace({ above, name, tab, columns }: NewPlace): Promise<readonly string[]> {
    const [fileName] = above;
    const names = columns.map((one) => one.trim()).filter((one) => one !== '');
    if (names.length === 0) throw new Refused('Give it at least one column name.');
    if (fileName === undefined) return this.addFile(name.trim(), tab?.trim() || 'Records', names);
    const file = await this.writable(fileName);
    const label = checkedTab(name);
    if (!file.workbook.addTab) throw new Refused(`“${fileName}” is a CSV file, and has just one tab.`);
    if (file.workbook.sheets.some((sheet) => sheet.name.toLowerCase() === label.toLowerCase()))
      throw new Refused(`“${fileName}” has a tab “${label}” already.`);
    file.workbook.addTab(label, names);
    await this.replace(file, await file.workbook.save());
    return [fileName, label];
  }

  async addColumns(path: readonly string[], names: readonly string[]): Promise<void> {
    const [fileName = '', tab = ''] = path;
    const file = await this.writable(fileName);
    const sheet = sheetOf(file, tab);
    for (const name of names) {
      if (name.trim() === '') throw new Refused('A column needs a name.');
      if (sheet.columns.some((column) => column.name === name))
        throw new Refused(`“${tab}” has a column “${name}” already.`);
    }
    if (isXlsx(fileName) && (sheet.columns.at(-1)?.index ?? 0) + names.length > mostColumns)
      throw new Refused(`“${tab}” has no room for another column: a tab has ${mostColumns.toLocaleString('en')}.`);
    file.workbook.addColumns(tab, names);
    await this.replace(file, await file.workbook.save());
  }

  async addLikeLast(path: readonly string[], like: readonly string[]): Promise<void> {
    const [fileName = '', tab = ''] = path;
    const names = (await this.store.list()).map(({ name }) => name);
    if (!names.includes(fileName)) return this.addFileLike(names, path, like);
    return this.addTabLike(fileName, tab, like);
  }

  /** A file that is missing, as the last one of its kind without the rows of its tabs. */
  private async addFileLike(
    files: readonly string[],
    [fileName = '', tab = '']: readonly string[],
    like: readonly string[],
  ): Promise<void> {
    const [model = '', modelTab = ''] = like;
    const ending = /\.\w+$/.exec(model)?.[0] ?? '';
    if (!fileName.toLowerCase().endsWith(ending.toLowerCase()))
      throw new NotThere(
        `There is no file “${fileName}”. To be made like “${model}” its name has to end in ${ending}.`,
      );
    expectFileName(fileName);
    const last = lastOfSeries(files, model);
    if (last === undefined)
      throw new NotThere(
        `There is no file “${fileName}”, and “${model}” that it could be made like isn’t there any more.`,
      );
    const file = await this.fresh(last);
    const { sheets } = file.workbook;
    const named = [tab, modelTab].flatMap((name) => sheets.find((one) => one.name === name) ?? [])[0] ?? sheets[0];
    if (!named || named.columns.length === 0)
      throw new NotThere(
        `There is no file “${fileName}”, and “${last}” has no column names that it could be made with.`,
      );
    // Tabs of the same columns hold the same kind of rows, such as those of twelve months.
    const columns = named.columns.map(({ name }) => name).join('\n');
    for (const sheet of sheets)
      if (sheet.columns.map(({ name }) => name).join('\n') === columns) file.workbook.emptyTab(sheet.name);
    await this.store.add(fileName, await file.workbook.save());
    if (!isCsv(fileName) && !sheets.some(({ name }) => name === tab))
      await this.addTabLike(fileName, tab, [fileName, named.name]);
  }

  private async addTabLike(fileName: string, tab: string, like: readonly string[]): Promise<void> {
    const file = await this.writable(fileName);
    const { sheets } = file.workbook;
    if (sheets.some(({ name }) => name.toLowerCase() === tab.toLowerCase())) return;
    const label = checkedTab(tab);
    const named = sheets.find(({ name }) => name === like[1]) ?? sheets.findLast(({ columns }) => columns.length > 0);
    const names = new Set(named?.columns.map(({ name }) => name));
    const last = sheets.findLast(({ columns }) => [...names].every((name) => columns.some((one) => one.name === name)));
    if (!last || names.size === 0 || !file.workbook.addTabLike)
      throw new NotThere(`“${fileName}” has no tab “${label}”, and none that it could be made like.`);
    file.workbook.addTabLike(label, last.name);
    await this.replace(file, await file.workbook.save());
  }

  private async addFile(name: string, tab: string, columns: readonly string[]): Promise<readonly string[]> {
    if (isOds(name)) throw new Refused(`${odsIsOnlyRead} Give the new file a name that ends in .xlsx or .csv.`);
    const full = isCsv(name) || isXlsx(name) ? name : `${name}.xlsx`;
    expectFileName(full);
    if (isCsv(full)) {
      await this.store.add(full, new TextEncoder().encode(`${Papa.unparse([[...columns]])}\r\n`));
      return [full, full.replace(/\.csv$/i, '')];
    }
    const label = checkedTab(tab);
    await this.store.add(full, await newXlsx(label, columns));
    return [full, label];
  }

  /** A copy to be changed. @throws NoRight when the file may only be read */
  private async writable(name: string): Promise<OpenFile> {
    const file = await this.fresh(name);
    const readOnlyBecause = whyReadOnly(file);
    if (readOnlyBecause) throw new NoRight(readOnlyBecause);
    return file;
  }

  linkToNew(path: readonly string[]): string | undefined {
    const [name = '', tab = ''] = path;
    return this.store.linkTo(name, tab, 2);
  }

  linkTo(path: readonly string[], id: string): string | undefined {
    const [name = '', tab = ''] = path;
    return this.store.linkTo(name, tab, Number(id));
  }

  groupOf(path: readonly string[]): string {
    return path[0] ?? '';
  }

  async hashNow(group: string): Promise<string> {
    const taken = await this.store.take(group);
    return taken.bytes ? hash(taken.bytes) : '';
  }

  async prepare(requests: readonly WriteRequest[]): Promise<Replacement> {
    const name = requests[0]?.write.target.path[0] ?? '';
    const file = await this.fresh(name);
    const readOnlyBecause = whyReadOnly(file);
    const nextRow = new Map(
      file.workbook.sheets.map((sheet) => [sheet.name, (sheet.lastRow ?? sheet.rows.at(-1)?.number ?? 1) + 1]),
    );
    const taken = new Set<string>();
    const results = new Map<string, BatchResult>();
    for (const { write, token } of requests) {
      const tab = write.target.path[1] ?? '';
      results.set(token, readOnlyBecause ? refused(readOnlyBecause) : await apply(file, tab, write, nextRow, taken));
    }
    const bytes = await file.workbook.save();
    return {
      hashBefore: await hash(file.bytes),
      hashAfter: await hash(bytes),
      results,
      commit: () => this.replace(file, bytes),
    };
  }

  private async writeOne(request: WriteRequest): Promise<Written> {
    const replacement = await this.prepare([request]);
    const result = replacement.results.get(request.token);
    if (result?.kind === 'refused') throw result.error;
    if (result?.kind !== 'written') throw new Changed('The row was changed in the meantime.');
    await replacement.commit();
    return { id: result.id };
  }

  private async replace(file: OpenFile, bytes: Uint8Array): Promise<void> {
    this.open.delete(file.name);
    const etag = await this.store.replace(file.name, bytes, file.etag);
    // Read anew from the very bytes that are there now, as anybody else would read them.
    if (etag) this.open.set(file.name, openFile({ name: file.name, bytes, etag, mayWrite: file.mayWrite }));
  }

  private async at(path: readonly string[]): Promise<{ file: OpenFile; sheet: Sheet }> {
    const [name = '', tab = ''] = path;
    const file = await this.take(name);
    return { file, sheet: sheetOf(file, tab) };
  }

  /** The file as it is now; read again only when it changed. */
  private take(name: string): Promise<OpenFile> {
    return this.taking.run(name, () => this.takeNow(name));
  }

  private async takeNow(name: string): Promise<OpenFile> {
    const known = await this.open.get(name)?.catch(() => undefined);
    const taken = await this.store.take(name, known?.etag);
    if (!taken.bytes && known?.mayWrite === taken.mayWrite) return known;
    if (!taken.bytes && !known) throw new NotThere(`“${name}” can’t be read.`);
    // A right given or taken since doesn't change the content; the copy is looked at anew all the same.
    const { readOnlyBecause: _, ...content } = known ?? ({} as OpenFile);
    const opened = taken.bytes
      ? openFile({ name, ...taken })
      : Promise.resolve({ ...content, ...taken, bytes: content.bytes });
    this.open.set(name, opened);
    opened.catch(() => this.open.delete(name));
    return opened;
  }

  /** A copy of the file as it is now, of its own, to be changed. */
  private async fresh(name: string): Promise<OpenFile> {
    const file = await this.take(name);
    return { ...file, workbook: file.workbook.anew() };
  }
}

/** Rows that are looked at before others have their turn. */
const rowsATurn = 5000;

/** Characters that fit into one cell of an .xlsx workbook (common practice among spreadsheet programs). */
const mostInCell = 32_767;

/** The rows and columns that a tab can have (common practice among spreadsheet programs). */
const [mostRows, mostColumns] = [1_048_576, 16_384];

/** @throws Refused */
function expectFileName(name: string): void {
  if (/[\\/:*?"<>|]|^[.~]/.test(name) || name.replace(/\.\w+$/, '').trim() === '')
    throw new Refused(`“${name}” can’t be a file’s name.`);
}

/** A tab's name as workbooks allow it: up to 31 characters, none of them with a meaning in formulas. */
function checkedTab(name: string): string {
  const label = name.trim();
  if (label === '' || label.length > 31 || /[\\/?*:[\]\p{Cc}]/u.test(label) || /^'|'$/.test(label))
    throw new Refused(`“${label}” can’t be a tab’s name: 1 to 31 characters, without \\ / ? * : [ ].`);
  return label;
}

async function openFile(file: Omit<OpenFile, 'workbook' | 'indexes' | 'numbered'>): Promise<OpenFile> {
  try {
    return { ...file, workbook: await openBook(file.name, file.bytes), indexes: new Map(), numbered: new Map() };
  } catch (error) {
    if (error instanceof UnreadableWorkbook)
      throw new NotThere(`“${file.name}” can’t be read. ${error.message}`, { cause: error });
    throw error;
  }
}

/** Raised when the same bytes are read otherwise than before. */
const reading = 1;

/** A mark of the content of a file; a weak one doesn't tell of every change (RFC 9110 section 8.8.1). */
const markOf = ({ etag }: OpenFile): string | undefined => (etag.startsWith('W/') ? undefined : `${reading} ${etag}`);

/** Whether two rows hold the same under the same names. */
function isSameRow(one: JsonRecord | undefined, other: JsonRecord): boolean {
  if (!one) return false;
  const names = Object.keys(other);
  return names.length === Object.keys(one).length && names.every((name) => name in one && one[name] === other[name]);
}

function whyReadOnly(file: OpenFile): string | undefined {
  if (!file.mayWrite)
    return file.readOnlyBecause ?? `“${file.name}” may be viewed, not edited. Ask for the right to edit it.`;
  return file.workbook.readOnlyBecause;
}

function sheetOf(file: OpenFile, tab: string): Sheet {
  const sheet = file.workbook.sheets.find((one) => one.name === tab);
  if (!sheet) throw new NotThere(`“${file.name}” has no tab “${tab}” any more.`);
  return sheet;
}

/** All of something, in pieces: others have their turn in between. */
async function* inTurns<T>(all: Iterable<T>): AsyncGenerator<T> {
  let count = 0;
  for (const one of all) {
    yield one;
    if (++count % rowsATurn === 0) await new Promise((resolve) => setImmediate(resolve));
  }
}

async function lastOf(rows: Iterable<SheetRow>, isIt: (row: SheetRow) => boolean): Promise<SheetRow | undefined> {
  let last: SheetRow | undefined;
  for await (const row of inTurns(rows)) if (isIt(row)) last = row;
  return last;
}

function rowOf(file: OpenFile, sheet: Sheet, id: string): SheetRow | undefined {
  // Rows of a CSV file follow each other without a gap.
  if (sheet.rows instanceof CsvRows) {
    const at = /^\d+$/.test(id) ? Number(id) - 2 : -1;
    return at >= 0 ? sheet.rows.at(at) : undefined;
  }
  let rows = file.numbered.get(sheet.name);
  if (!rows) {
    rows = new Map(sheet.rows.map((row) => [String(row.number), row]));
    file.numbered.set(sheet.name, rows);
  }
  return rows.get(id);
}

function indexOf(file: OpenFile, sheet: Sheet, path: Pointer): Promise<ReadonlyMap<string, readonly number[]>> {
  const name = `${sheet.name}\n${path}`;
  const known = file.indexes.get(name) ?? indexed(sheet, path);
  file.indexes.set(name, known);
  return known;
}

async function indexed(sheet: Sheet, path: Pointer): Promise<ReadonlyMap<string, readonly number[]>> {
  const index = new Map<string, number[]>();
  let at = 0;
  for await (const value of inTurns(valuesOf(sheet, path))) {
    const key = keyText(value);
    const there = index.get(key);
    if (there) there.push(at);
    else index.set(key, [at]);
    at += 1;
  }
  return index;
}

/** The values of one column. */
function* valuesOf({ rows, columns }: Sheet, path: Pointer): Generator<Value | undefined> {
  const column = columns.findIndex(({ name }) => formatPointer([name]) === path);
  if (rows instanceof CsvRows && column >= 0) yield* rows.values(column);
  else for (const { record } of rows) yield readPointer(record, path);
}

async function apply(
  file: OpenFile,
  tab: string,
  write: WriteRequest['write'],
  nextRow: Map<string, number>,
  taken: Set<string>,
): Promise<BatchResult> {
  const sheet = file.workbook.sheets.find((one) => one.name === tab);
  if (!sheet) return { kind: 'refused', error: new NotThere(`“${file.name}” has no tab “${tab}” any more.`) };
  if (write.kind === 'remove')
    return { kind: 'refused', error: new Refused('Rows of a file aren’t removed by a workflow. Nothing was removed.') };
  const { cells, missing } = cellsOf(write, sheet);
  if (missing.length > 0) {
    const names = missing.map((name) => `“${name}”`).join(', ');
    return { kind: 'refused', error: new Drifted(`“${tab}” has no column ${names} any more. Nothing was written.`) };
  }
  if (write.kind === 'update') return applyUpdate(file, sheet, write, cells);
  if (write.key) {
    const claim = `${tab}\n${keyText(write.key.value)}`;
    const isThere = (await indexOf(file, sheet, write.key.path)).has(keyText(write.key.value));
    if (isThere || taken.has(claim)) return { kind: 'stale' };
    taken.add(claim);
  }
  const row = nextRow.get(tab) ?? 2;
  if (isXlsx(file.name) && row > mostRows)
    return {
      kind: 'refused',
      error: new Refused(`“${tab}” is full: a tab has ${mostRows.toLocaleString('en')} rows.`),
    };
  const kept = whyKept(sheet, row, cells);
  if (kept) return { kind: 'refused', error: new Refused(kept) };
  nextRow.set(tab, row + 1);
  file.workbook.setCells(tab, row, cells);
  return { kind: 'written', id: String(row) };
}

function applyUpdate(
  file: OpenFile,
  sheet: Sheet,
  write: WriteRequest['write'],
  cells: Parameters<EditableWorkbook['setCells']>[2],
): BatchResult {
  const row = rowOf(file, sheet, write.id ?? '');
  const isAsBefore =
    row && Object.entries(write.before ?? {}).every(([name, value]) => isSameValue(row.record[name], value, 'any'));
  if (!row || !isAsBefore) return { kind: 'stale' };
  const kept = whyKept(sheet, row.number, cells, row.formulas);
  if (kept) return { kind: 'refused', error: new Refused(kept) };
  file.workbook.setCells(sheet.name, row.number, cells);
  return { kind: 'written', id: String(row.number) };
}

/** Why cells of a row can't be written: what somebody calculates or has merged there stays as it is. */
function whyKept(
  sheet: Sheet,
  row: number,
  cells: Parameters<EditableWorkbook['setCells']>[2],
  formulas: readonly number[] = [],
): string | undefined {
  const nameOf = (column: number): string => sheet.columns.find(({ index }) => index === column)?.name ?? '';
  for (const { column } of cells) {
    if (formulas.includes(column))
      return `“${nameOf(column)}” is calculated by a formula in row ${row}, which isn’t written over. Take the field out of the mapping, or the formula out of the cell.`;
    const area = sheet.merged?.find(
      ({ left, top, right, bottom }) => column >= left && column <= right && row >= top && row <= bottom,
    );
    if (area && (area.left !== column || area.top !== row))
      return `The cell of “${nameOf(column)}” in row ${row} is merged with others. Split the merged cells to write there.`;
  }
  return undefined;
}

const refused = (message: string): BatchResult => ({ kind: 'refused', error: new NoRight(message) });
const toFound = (row: SheetRow): Found => ({ id: String(row.number), record: row.record });
