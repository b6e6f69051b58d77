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
