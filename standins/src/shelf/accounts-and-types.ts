/** An account of the shelf, signed in by a bearer token (RFC 6750), or with it as the password (RFC 7617). */
export interface ShelfAccount {
  readonly token: string;
  readonly name: string;
  readonly mayEdit: boolean;
}

/** By IANA's registry of media types. */
const mediaTypes: Readonly<Record<string, string>> = {
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  csv: 'text/csv; charset=utf-8',
  pdf: 'application/pdf',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  xml: 'application/xml',
  vcf: 'text/vcard',
  ics: 'text/calendar',
};

/** The media type of a file by its ending. */
export function mediaTypeOf(name: string): string {
  return mediaTypes[name.toLowerCase().split('.').at(-1) ?? ''] ?? 'application/octet-stream';
}
