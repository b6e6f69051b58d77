import { de, Faker } from '@faker-js/faker';

const seed = 20260511;

/** The heads of the list, as a German office writes them. */
export const messyHeads = [
  'Kd-Nr.',
  'Firma',
  'Ansprechpartner',
  'Straße',
  'PLZ',
  'Ort',
  'Land',
  'Telefon',
  'E-Mail',
  'Umsatz 2025',
  'Kunde seit',
  'Newsletter',
] as const;

type Row = Readonly<Record<(typeof messyHeads)[number], string>>;

/** So many people are on the list; six of them twice. */
export const messyPeople = 54;

/** Names as such a list writes them, with what they truly are. */
const awkward: readonly (readonly [written: string, first: string, last: string])[] = [
  ['Müller, Jürgen', 'Jürgen', 'Müller'],
  ['M. Yilmaz', 'M.', 'Yilmaz'],
  ['Dr. Petra von der Aue', 'Petra', 'von der Aue'],
  ['Karl-Heinz Groß', 'Karl-Heinz', 'Groß'],
  ['Boyle', '', 'Boyle'],
  ['García Iglesias, Rosa', 'Rosa', 'García Iglesias'],
  ['Jo van Dijk', 'Jo', 'van Dijk'],
  ['Ying-Li Chen', 'Ying-Li', 'Chen'],
  ['Frau Ute Lehmann', 'Ute', 'Lehmann'],
  ['Łukasz Żak', 'Łukasz', 'Żak'],
  ['Nowak, Ewa', 'Ewa', 'Nowak'],
  // One family, two people, one house.
  ['Nowak, Jan', 'Jan', 'Nowak'],
];
const firstNames = ['Anke', 'Bernd', 'Clara', 'Dieter', 'Elif', 'Fritz', 'Gesa', 'Henrik', 'Ines', 'Jannis', 'Käthe'];
const lastNames = ['Schäfer', 'Brandt', 'Öztürk', 'Weiß', 'Kowalski', 'Lorenz', 'Henning', 'Voß', 'Jansen', 'Ritter'];

/** The person of a row: one of the awkward names first, then others, no two alike. */
function personAt(at: number): { readonly written: string; readonly first: string; readonly last: string } {
  const [written, first, last] = awkward[at] ?? [];
  if (written !== undefined) return { written, first: first ?? '', last: last ?? '' };
  const name = { first: firstNames[at % firstNames.length] ?? '', last: lastNames[(at * 3) % lastNames.length] ?? '' };
  return { ...name, written: at % 5 === 0 ? `${name.last}, ${name.first}` : `${name.first} ${name.last}` };
}

/** A name as it stands in a mail address. */
const asAddress = (name: string): string =>
  name
    .toLowerCase()
    .replaceAll('ß', 'ss')
    .replaceAll('ł', 'l')
    .normalize('NFD')
    .replace(/[^a-z]/g, '');

const firms = [
  'Töpferei Moor GmbH',
  'Keramikwerkstatt Lehmgrube',
  'Neue Keramik KG',
  'Scheibe & Schlicker OHG',
  'Volkshochschule Altstadt',
  'Tonart e.K.',
  'Ofenhaus Brand GmbH & Co. KG',
];
const towns: readonly (readonly [postcode: string, town: string, country: string])[] = [
  ['01069', 'Dresden', 'DE'],
  ['10115', 'Berlin', 'Deutschland'],
  ['04109', 'Leipzig', 'D'],
  ['1010', 'Wien', 'AT'],
  ['80331', 'München', 'DE'],
  ['8001', 'Zürich', 'Schweiz'],
];
const streets = ['Töpfergasse', 'Am Brennofen', 'Scheibenweg', 'Lehmgrube', 'Glasurstr.'];

/**
 * A list of sixty customers as an office has kept it by hand for years: amounts with decimal commas, days
 * before months, some people twice, some rows without a firm or a telephone. Invented; mail addresses by
 * RFC 2606, telephone numbers from a range reserved for fiction (030 23125 xxx, from memory).
 */
export function messyRows(): Row[] {
  const dice = new Faker({ locale: [de], seed });
  const rows = Array.from({ length: messyPeople }, (_, at): Row => {
    const { written, first, last } = personAt(at);
    const firm = at % 4 === 1 ? '' : (firms[at % firms.length] ?? '');
    const [postcode, town, country] = towns[at % towns.length] ?? ['', '', ''];
    const number = String(100 + at);
    const domestic =
      at % 3 === 0 ? `030 23125 ${number}` : at % 3 === 1 ? `030/23125-${number}` : `+49 30 23125${number}`;
    const year = 2015 + (at % 10);
    return {
      'Kd-Nr.': String(10_100 + at),
      Firma: firm,
      Ansprechpartner: written,
      Straße: `${streets[at % streets.length]} ${at + 3}`,
      PLZ: postcode,
      Ort: town,
      Land: country,
      // Only the numbers in Germany are in the reserved range; elsewhere with their code.
      Telefon: at % 7 === 3 ? '' : /^D/.test(country) ? domestic : `+49 30 23125 ${number}`,
      'E-Mail':
        at % 9 === 5
          ? ''
          : `${at % 8 === 2 ? first : asAddress(first || 'post')}.${asAddress(last)}@ton${at % 13}.example`,
      'Umsatz 2025': `${dice.number.int({ min: 0, max: 9 })}.${String(dice.number.int({ min: 0, max: 999 })).padStart(3, '0')},${String(dice.number.int({ min: 0, max: 99 })).padStart(2, '0')}`,
      'Kunde seit': `${String(13 + (at % 15)).padStart(2, '0')}.${String(1 + (at % 12)).padStart(2, '0')}.${year}`,
      Newsletter: at % 3 === 0 ? 'ja' : 'nein',
    };
  });
  // Some came in a second time: the same person, spelt or addressed a little otherwise.
  const again = [0, 3, 10, 16, 24, 36].map((at, nth): Row => {
    const row = rows[at] as Row;
    return {
      ...row,
      'Kd-Nr.': String(10_190 + nth),
      'E-Mail': row['E-Mail'].toUpperCase(),
      Straße: '',
      Newsletter: 'nein',
    };
  });
  return [...rows, ...again];
}

/** The list as the file that the office's program writes: semicolons, CRLF, quotes where they are needed. */
export function messyCsv(): Buffer {
  const quoted = (text: string): string => (/[;"\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const lines = [
    messyHeads.join(';'),
    ...messyRows().map((row) => messyHeads.map((head) => quoted(row[head])).join(';')),
  ];
  return Buffer.from(`${lines.join('\r\n')}\r\n`);
}

/** What the people of the list are truly called, by their number. */
export const messyNames: ReadonlyMap<string, { readonly first: string; readonly last: string }> = new Map(
  Array.from({ length: messyPeople }, (_, at) => [String(10_100 + at), personAt(at)]),
);
