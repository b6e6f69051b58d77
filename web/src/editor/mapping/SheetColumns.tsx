/** The widths of a worksheet: what a row is, what fills it, and a column for each sample. */
export function SheetColumns({ columns }: { readonly columns: readonly { readonly id: string }[] }) {
  return (
    <colgroup>
      <col className="w-[176px]" />
      <col className="w-[200px]" />
      {columns.map((column) => (
        <col key={column.id} className="w-[118px]" />
      ))}
    </colgroup>
  );
}
