import { de, en, en_GB, Faker, ja, pl, sv } from '@faker-js/faker';
import type { CustomerInput } from '@golden/standins';
import { DateTime } from 'luxon';

/** A customer of the made-up merchant with the instants of its record. */
export interface DemoCustomer {
  readonly input: CustomerInput;
  readonly createdAt: string;
  readonly updatedAt: string;
}

const seed = 20260301;
const streets = [
  'Wheel Street',
  'Kiln Lane',
  'Slip Yard',
  'Glaze Row',
  'Potter’s Yard',
  'Clay Pit Road',
  'The Old Gatehouse',
  'Saltmarsh Quay',
  'Throwing Lane',
  'Ash Glaze Close',
];
const towns = ['Saltmarsh', 'Millwick', 'Eastferry', 'Harrow Sands', 'Corrib Bridge', 'Thistleby'];
const studios = [
  'Thistle Studio',
  'Kiln & Co.',
  'Marsh Lane School',
  'Two Wheels Pottery',
  'Ember Ceramics Ltd',
  'St. Bride’s Primary School',
  'Earth, Fire & Sons',
  'Glaze & Co Ltd',
  'Lindqvist Keramik AB',
  'Töpferei Moor GmbH',
];
const domains = ['clay.example', 'kiln.example', 'studio.example', 'example.com', 'example.org', 'marshlane.example'];

/**
 * Telephone numbers only from ranges that regulators reserve for fiction (from memory: Ofcom's
 * 01632 960xxx and 07700 900xxx, ComReg's 020 91x xxxx, PTS's 08-465 004 xx, BNetzA's 030 23125 xxx).
 */
const phones: Record<string, (digits: (count: number) => string) => string[]> = {
  GB: (digits) => [
    `01632 960${digits(3)}`,
    `01632 960 ${digits(3)}`,
    `+44 7700 900${digits(3)}`,
    `(01632) 960-${digits(3)}`,
    `07700 900 ${digits(3)}`,
  ],
  IE: (digits) => [`020 91${digits(1)} ${digits(4)}`, `+353 20 91${digits(1)} ${digits(4)}`],
  SE: (digits) => [`+46 8 465 004 ${digits(2)}`],
  DE: (digits) => [`+49 30 23125 ${digits(3)}`],
  PL: () => [],
  JP: () => [],
};

interface Country {
  readonly country: string;
  readonly weight: number;
  readonly faker: Faker;
}

/** Where customers come from; made anew for each set, since a faker goes on from where it stands. */
const makeCountries = (): Country[] => [
  { country: 'GB', weight: 74, faker: new Faker({ locale: [en_GB, en], seed }) },
  { country: 'IE', weight: 12, faker: new Faker({ locale: [en_GB, en], seed: seed + 1 }) },
  { country: 'DE', weight: 5, faker: new Faker({ locale: [de, en], seed: seed + 2 }) },
  { country: 'SE', weight: 4, faker: new Faker({ locale: [sv, en], seed: seed + 3 }) },
  { country: 'PL', weight: 3, faker: new Faker({ locale: [pl, en], seed: seed + 4 }) },
  { country: 'JP', weight: 2, faker: new Faker({ locale: [ja, en], seed: seed + 5 }) },
];

/**
 * The shop's customers, the same for the same count and moment: awkward on purpose, with spelling
 * variants, doubles, missing values, stray spaces, non-Latin names and phones that are none.
 */
export function demoCustomers(count: number, now: string): DemoCustomer[] {
  const dice = new Faker({ locale: [en], seed });
  const countries = makeCountries();
  const made: DemoCustomer[] = [];
  const end = DateTime.fromISO(now, { zone: 'utc' });
  for (let at = 0; at < count; at++) {
    // The last comes in shortly before now, the first half a year earlier; more come of late.
    const age = (1 - (at + 1) / count) ** 1.6 * 180;
    const created = end.minus({ days: age, minutes: dice.number.int({ min: 2, max: 40 }) });
    const isChanged = dice.number.int(9) === 0;
    const updated = isChanged ? created.plus({ hours: dice.number.int({ min: 1, max: 30 }) }) : created;
    const twin = made.length > 20 && dice.number.int(24) === 0 ? dice.helpers.arrayElement(made).input : undefined;
    const input = twin ? spelledOtherwise(twin, dice) : oneCustomer(dice, countries);
    made.push({
      input,
      createdAt: created.toISO() ?? now,
      updatedAt: (updated < end ? updated : created).toISO() ?? now,
    });
  }
  return made;
}

function oneCustomer(dice: Faker, countries: readonly Country[]): CustomerInput {
  const { country, faker } = dice.helpers.weightedArrayElement(
    countries.map((value) => ({ value, weight: value.weight })),
  );
  const isTrade = dice.number.int(3) === 0;
  const isNameless = isTrade && dice.number.int(5) === 0;
  const first = faker.person.firstName();
  const last = faker.person.lastName();
  const company = isTrade ? dice.helpers.arrayElement(studios) : null;
  return {
    first_name: isNameless ? null : spaced(first, dice),
    last_name: isNameless ? null : shouted(last, dice),
    company: company && spaced(company, dice),
    email: dice.number.int(22) === 0 ? null : emailOf(first, last, dice),
    phone: phoneOf(country, dice),
    account_type: isTrade ? 'trade' : 'hobby',
    vat_number:
      isTrade && country === 'GB' && dice.number.int(1) === 0
        ? `GB ${dice.string.numeric(3)} ${dice.string.numeric(4)} ${dice.string.numeric(2)}`
        : null,
    address: {
      street: `${dice.number.int({ min: 1, max: 120 })} ${dice.helpers.arrayElement(streets)}`,
      city: dice.helpers.arrayElement(towns),
      postcode: postcodeOf(country, dice),
      country,
    },
    newsletter: dice.datatype.boolean(),
  };
}

/** The same person come in a second time, spelt another way. */
function spelledOtherwise(twin: CustomerInput, dice: Faker): CustomerInput {
  const variant = dice.number.int(3);
  if (variant === 0) return { ...twin, email: twin.email?.toUpperCase() ?? null };
  if (variant === 1) return { ...twin, first_name: twin.first_name?.slice(0, 1).concat('.') ?? null };
  if (variant === 2)
    return {
      ...twin,
      first_name: twin.first_name?.toLowerCase() ?? null,
      last_name: twin.last_name?.toLowerCase() ?? null,
    };
  return { ...twin, phone: null, company: twin.company?.replace(' & ', ' and ') ?? null };
}

function emailOf(first: string, last: string, dice: Faker): string {
  const plain = (text: string): string =>
    text
      .normalize('NFD')
      .replace(/[^a-zA-Z]/g, '')
      .toLowerCase();
  const name = [plain(first), plain(last)].filter(Boolean).join('.') || 'kontakt';
  const address = `${name}${dice.number.int(99)}@${dice.helpers.arrayElement(domains)}`;
  return dice.number.int(14) === 0 ? address.replace(/^./, (letter) => letter.toUpperCase()) : address;
}

function phoneOf(country: string, dice: Faker): string | null {
  const roll = dice.number.int(39);
  if (roll < 5) return null;
  if (roll === 5) return dice.helpers.arrayElement(['ask for Dirk', 'see e-mail', 'n/a']);
  const forms = phones[country]?.((digits) => dice.string.numeric(digits)) ?? [];
  return forms.length > 0 ? dice.helpers.arrayElement(forms) : null;
}

/** Postcodes that no post office has: ZZ areas, and figures that begin with 00. */
function postcodeOf(country: string, dice: Faker): string {
  if (country === 'GB')
    return `ZZ${dice.number.int({ min: 1, max: 9 })} ${dice.number.int(9)}${dice.string.alpha({ length: 2, casing: 'upper', exclude: ['C', 'I', 'K', 'M', 'O', 'V'] })}`;
  if (country === 'IE') return `H91 X${dice.string.alphanumeric({ length: 3, casing: 'upper' })}`;
  return `00${dice.string.numeric(3)}`;
}

const spaced = (text: string, dice: Faker): string =>
  dice.number.int(18) === 0 ? ` ${text.replace(' ', '  ')} ` : text;
const shouted = (text: string, dice: Faker): string => (dice.number.int(20) === 0 ? text.toUpperCase() : text);
