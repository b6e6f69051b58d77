import ExcelJS from 'exceljs';

/** A workbook as somebody else saved it meanwhile: one row written by hand. */
export const workbook = {
  note: Buffer.alloc(0),
  async prepare(bytes: Uint8Array): Promise<void> {
    const book = new ExcelJS.Workbook();
    await book.xlsx.load(bytes as unknown as ArrayBuffer);
    book.getWorksheet('Customers')?.addRow(['1', 'kept by hand']);
    this.note = Buffer.from(await book.xlsx.writeBuffer());
  },
};

/** A tab of articles, and the same as saved again with another name for the first. */
export async function tabWith(
  rows: readonly [string, string][],
): Promise<{ workbook: Buffer; saved: (name: string) => Promise<Buffer> }> {
  const make = async (some: readonly (readonly string[])[]): Promise<Buffer> => {
    const book = new ExcelJS.Workbook();
    const tab = book.addWorksheet('Stock');
    for (const row of [['Article', 'Name'], ...some]) tab.addRow([...row]);
    return Buffer.from(await book.xlsx.writeBuffer());
  };
  const saved = (name: string) => make(rows.map((row, at) => (at === 0 ? [row[0], name] : row)));
  return { workbook: await make(rows), saved };
}
