import fc from 'fast-check';
import { recordsOfFile } from './records-of-file.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const read = (name: string, text: string | Uint8Array, zone = 'Europe/London') =>
  recordsOfFile(name, typeof text === 'string' ? bytes(text) : text, zone);
const recordsIn = async (name: string, text: string, zone?: string) =>
  [...(await read(name, text, zone)).records].map(({ record }) => record);

describe('contacts', () => {
  // RFC 6350, section 8 (the author's own card), from memory.
  const card = [
    'BEGIN:VCARD',
    'VERSION:4.0',
    'FN:Simon Perreault',
    'N:Perreault;Simon;;;ing. jr,M.Sc.',
    'BDAY:--0203',
    'ORG;TYPE=work:Viagenie',
    'ADR;TYPE=work:;Suite D2-630;2875 Laurier;',
    ' Quebec;QC;G1V 2M2;Canada',
    'TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-656-9254;ext=102',
    'TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-418-262-6501',
    'EMAIL;TYPE=work:simon.perreault@viagenie.ca',
    'URL;TYPE=home:http://nomis80.org',
    'END:VCARD',
    '',
  ].join('\r\n');

  test('the example of the standard (RFC 6350, section 8)', async () => {
    const [record] = await recordsIn('simon.vcf', card);
    expect(record).toMatchObject({
      name: 'Simon Perreault',
      familyName: 'Perreault',
      givenName: 'Simon',
      suffix: 'ing. jr, M.Sc.',
      organisation: 'Viagenie',
      street: '2875 Laurier',
      city: 'Quebec',
      region: 'QC',
      postcode: 'G1V 2M2',
      country: 'Canada',
      phone: '+1-418-656-9254;ext=102',
      email: 'simon.perreault@viagenie.ca',
      website: 'http://nomis80.org',
    });
    expect(record?.['phones']).toHaveLength(2);
  });

  test('several in one file, of version 3.0, with the preferred address', async () => {
    const other =
      'BEGIN:VCARD\r\nVERSION:3.0\r\nUID:k7\r\nFN:Ana Kovač\r\nN:Kovač;Ana;;;\r\nEMAIL;TYPE=HOME:ana@example.net\r\n' +
      'EMAIL;TYPE=WORK,PREF:ana@example.com\r\nEND:VCARD\r\n';
    const records = await recordsIn('both.vcf', card + other);
    expect(records.map(({ email }) => email)).toEqual(['simon.perreault@viagenie.ca', 'ana@example.com']);
    expect(records[1]).toMatchObject({ id: 'k7', name: 'Ana Kovač', phone: null, city: null });
  });
});

describe('a calendar', () => {
  // RFC 5545, section 4, the first two examples, from memory.
  const conference = [
    'BEGIN:VCALENDAR',
    'PRODID:-//xyz Corp//NONSGML PDA Calendar Version 1.0//EN',
    'VERSION:2.0',
    'BEGIN:VEVENT',
    'DTSTAMP:19960704T120000Z',
    'UID:uid1@example.com',
    'ORGANIZER:mailto:jsmith@example.com',
    'DTSTART:19960918T143000Z',
    'DTEND:19960920T220000Z',
    'STATUS:CONFIRMED',
    'SUMMARY:Networld+Interop Conference',
    'DESCRIPTION:Networld+Interop Conference',
    '  and Exhibit\\nAtlanta World Congress Center\\n',
    ' Atlanta\\, Georgia',
    'END:VEVENT',
    'END:VCALENDAR',
    '',
  ].join('\r\n');
  const meeting = (tzid: string, day: string): string =>
    [
      'BEGIN:VCALENDAR',
      'PRODID:-//RDU Software//NONSGML HandCal//EN',
      'VERSION:2.0',
      'BEGIN:VTIMEZONE',
      `TZID:${tzid}`,
      'BEGIN:STANDARD',
      'DTSTART:19981025T020000',
      'TZOFFSETFROM:-0400',
      'TZOFFSETTO:-0500',
      'TZNAME:EST',
      'END:STANDARD',
      'BEGIN:DAYLIGHT',
      'DTSTART:19990404T020000',
      'TZOFFSETFROM:-0500',
      'TZOFFSETTO:-0400',
      'TZNAME:EDT',
      'END:DAYLIGHT',
      'END:VTIMEZONE',
      'BEGIN:VEVENT',
      'DTSTAMP:19980309T231000Z',
      'UID:guid-1.example.com',
      'ORGANIZER:mailto:mrbig@example.com',
      'ATTENDEE;RSVP=TRUE;ROLE=REQ-PARTICIPANT;CUTYPE=GROUP:',
      ' mailto:employee-A@example.com',
      'SUMMARY:XYZ Project Review',
      `DTSTART;TZID=${tzid}:${day}T083000`,
      `DTEND;TZID=${tzid}:${day}T093000`,
      'LOCATION:1CP Conference Room 4350',
      'END:VEVENT',
      'END:VCALENDAR',
      '',
    ].join('\r\n');

  test('the examples of the standard (RFC 5545, section 4)', async () => {
    const [first] = await recordsIn('conference.ics', conference);
    expect(first).toMatchObject({
      id: 'uid1@example.com',
      organiser: 'jsmith@example.com',
      start: '1996-09-18T14:30:00.000Z',
      end: '1996-09-20T22:00:00.000Z',
      status: 'CONFIRMED',
      description: 'Networld+Interop Conference and Exhibit\nAtlanta World Congress Center\nAtlanta, Georgia',
    });
    const [second] = await recordsIn('review.ics', meeting('America/New_York', '19980312'));
    expect(second).toMatchObject({
      start: '1998-03-12T13:30:00.000Z',
      end: '1998-03-12T14:30:00.000Z',
      attendees: [{ email: 'employee-A@example.com', name: null, answer: null }],
    });
  });

  test('a zone that only the file describes; a whole day; a time without a zone', async () => {
    const [own] = await recordsIn('own.ics', meeting('Our office', '19990701'));
    expect(own?.['start']).toBe('1999-07-01T12:30:00.000Z');
    const entry = (lines: string): string =>
      `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\n${lines}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n`;
    const [day] = await recordsIn('day.ics', entry('DTSTART;VALUE=DATE:20261128'));
    expect(day).toMatchObject({ start: '2026-11-28', wholeDay: true, end: null });
    const floating = entry('DTSTART:20260701T090000');
    expect((await recordsIn('f.ics', floating, 'Europe/Berlin'))[0]?.['start']).toBe('2026-07-01T07:00:00.000Z');
  });
});

describe('tables and lists', () => {
  test('rows of a CSV file with their numbers and the kinds of their columns', async () => {
    const file = await read('orders.csv', 'no,when\r\n1,2026-11-28\r\n\r\n2,\r\n');
    expect(file.fields.map(({ path, label }) => [path, label])).toEqual([
      ['/no', 'no'],
      ['/when', 'when'],
    ]);
    expect([...file.records]).toEqual([
      { at: 'row 2', record: { no: '1', when: '2026-11-28' } },
      { at: 'row 3', record: { no: '2', when: '' } },
    ]);
  });

  test.each<[string, string, unknown[]]>([
    ['a list', '[{"no":1},{"no":2}]', [{ no: 1 }, { no: 2 }]],
    ['a list that is wrapped', '{"page":1,"orders":[{"no":1},{"no":2}]}', [{ no: 1 }, { no: 2 }]],
    ['one order with its lines is one record', '{"id":7,"lines":[{"sku":"A"}]}', [{ id: 7, lines: [{ sku: 'A' }] }]],
    ['a mark at its beginning', '\ufeff[{"no":1}]', [{ no: 1 }]],
  ])('JSON: %s', async (_name, text, records) => {
    expect(await recordsIn('orders.json', text)).toEqual(records);
  });

  test('JSON Lines, with an empty line', async () => {
    expect(await recordsIn('orders.jsonl', '{"no":1}\n\n{"no":2}\n')).toEqual([{ no: 1 }, { no: 2 }]);
  });

  test('an invoice (UBL) is one record', async () => {
    const invoice =
      '<?xml version="1.0"?><Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2" ' +
      'xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"><cbc:ID>INV-7</cbc:ID></Invoice>';
    expect(await recordsIn('invoice.xml', invoice)).toMatchObject([{ ID: 'INV-7' }]);
  });
});

describe('what can’t be read ends in a sentence', () => {
  test.each<[string, string, RegExp]>([
    ['empty.csv', '', /“empty.csv” is empty/],
    ['names.csv', 'a,b\r\n', /no rows below/],
    ['cut.json', '[{"no":1},{"n', /no whole JSON: it may have been cut off/],
    ['one.json', '7', /single value/],
    ['mixed.json', '[{"no":1},7]', /has in entry 2 no record/],
    ['none.json', '[]', /holds no records/],
    ['lines.jsonl', '{"no":1}\n{"no"', /in line 2/],
    ['open.csv', 'a\r\n"x\r\n', /can’t be read/],
    ['zip.xlsx', 'PK\u0003\u0004 no workbook', /can’t be read/],
    ['picture.png', 'x', /no kind that can be read/],
    ['cut.vcf', 'BEGIN:VCARD\r\nFN:Ada\r\n', /can’t be read|no contacts/],
    ['cut.ics', 'BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n', /can’t be read|no calendar entries/],
    ['none.ics', 'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n', /no calendar entries/],
    ['entity.xml', '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', /document type/],
  ])('%s', async (name, text, told) => {
    await expect(read(name, text)).rejects.toThrow(told);
  });

  test('more than is read at once', async () => {
    const card = 'BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada\r\nEND:VCARD\r\n';
    await expect(read('many.vcf', card.repeat(200_000))).rejects.toThrow(/larger than 8 MB. Split it/);
  });

  test('a text in another encoding', async () => {
    await expect(read('old.json', new Uint8Array([0x5b, 0x22, 0xe4, 0x22, 0x5d]))).rejects.toThrow(/UTF-8/);
  });

  test('anything at all is read or told, never anything else', async () => {
    const endings = fc.constantFrom('csv', 'json', 'jsonl', 'xml', 'vcf', 'ics');
    const lines = fc.array(
      fc.oneof(
        fc.constantFrom('BEGIN:VCARD', 'END:VCARD', 'BEGIN:VCALENDAR', 'END:VCALENDAR', 'BEGIN:VEVENT', 'END:VEVENT'),
        fc.constantFrom(
          'N:a;b',
          'DTSTART:20261128T1',
          'DTSTART;TZID=X:20261128T100000',
          'ATTENDEE:x',
          '{"a":[1]}',
          '<a/>',
        ),
        fc.string({ maxLength: 20 }),
      ),
      { maxLength: 12 },
    );
    await fc.assert(
      fc.asyncProperty(endings, lines, async (ending, given) => {
        const file = await read(`any.${ending}`, given.join('\r\n')).catch((error: Error) => {
          expect(error.name).toBe('NotPossible');
        });
        if (file) expect([...file.records]).toHaveLength(file.count);
      }),
      { numRuns: 800 },
    );
  });
});
