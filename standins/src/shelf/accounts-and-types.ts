/** An account of the shelf, signed in by a bearer token (RFC 6750), or with it as the password (RFC 7617). */
export interface ShelfAccount {
  readonly token: string;
  readonly name: string;
  readonly mayEdit: boolean;
}

const mediaTypes = {
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  csv: 'text/csv; charset=utf-8',
};

/** The media type of a workbook file by its ending. */
export function mediaTypeOf(name: string): string {
  return name.toLowerCase().endsWith('.csv') ? mediaTypes.csv : mediaTypes.xlsx;
}
