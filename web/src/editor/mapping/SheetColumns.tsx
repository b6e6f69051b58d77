/** The widths of a worksheet: what a row is, what fills it, and a column for each sample. */
export function SheetColumns({ columns }: { readonly columns: readonly { readonly id: string }[] }) {
  return (
    <colgroup>
      <col className="w-[206px]" />
      <col className="w-[226px]" />
      {columns.map((column) => (
        <col key={column.id} className="w-[138px]" />
      ))}
    </colgroup>
  );
}
