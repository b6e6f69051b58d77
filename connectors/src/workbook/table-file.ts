/** A new workbook with one tab: a bold head that stays in sight, and rows of texts. */
export async function tableFile(
  tab: string,
  head: readonly string[],
  rows: readonly (readonly string[])[],
): Promise<Uint8Array> {
  const { default: ExcelJS } = await import('exceljs');
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet(tab, { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.addRow([...head]).font = { bold: true };
  for (const row of rows) sheet.addRow([...row]);
  sheet.columns.forEach((column, at) => {
    const longest = rows.reduce((most, row) => Math.max(most, row[at]?.length ?? 0), head[at]?.length ?? 0);
    column.width = Math.min(60, longest + 2);
  });
  return new Uint8Array(await book.xlsx.writeBuffer());
}
