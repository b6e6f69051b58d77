import type { Field } from './field.ts';
import { minorUnits } from './numbers.ts';
import { readableValue } from './readable.ts';
import { toText, type Value } from './value.ts';

/** Where a business is: how its readers write dates and amounts. */
export interface PrintLocale {
  /** IANA. */
  readonly zone: string;
  /** ISO 3166-1 alpha-2. */
  readonly country: string;
}

/** What is known of a value that is printed. */
export interface PrintedField extends Pick<Field, 'type' | 'options'> {
  /** Of an amount of money (ISO 4217); hundredths where it isn't known. */
  readonly currencyCode?: string;
}

const day = /^\d{4}-\d{2}-\d{2}$/;
const instant = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}/;
const decimal = /^-?\d+(\.\d+)?$/;

/**
 * A value as it stands in a letter or a document: dates and times in figures and amounts by the custom of the country
 * (Unicode CLDR, by the runtime), options by their names, yes and no as words. What isn't written as values travel stays
 * as it is.
 */
export function printedValue(value: Value, field: PrintedField | undefined, { zone, country }: PrintLocale): string {
  const text = readableValue(value);
  switch (field?.type) {
    case 'date':
      return day.test(text) && isTime(text) ? dateText(text, country, 'UTC') : text;
    case 'instant':
      return instant.test(text) && isTime(text) ? dateText(text, country, zone, true) : text;
    case 'money':
      return decimal.test(text) ? amountText(text, country, minorUnits(field.currencyCode ?? '') ?? 2) : text;
    case 'choice':
      return field.options?.find((option) => option.value === toText(value))?.label ?? text;
    default:
      return text;
  }
}

const isTime = (text: string): boolean => !Number.isNaN(Date.parse(text));

function dateText(text: string, country: string, zone: string, hasTime = false): string {
  return new Intl.DateTimeFormat(languageOf(country), {
    day: '2-digit',
    month: '2-digit',
    year: 'numeric',
    timeZone: zone,
    ...(hasTime && { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }),
  }).format(new Date(text));
}

/** A decimal with so many places at least, by the custom of the country; what has more keeps them. */
export function amountText(text: string, country: string, places: number): string {
  const given = /\.(\d+?)0*$/.exec(text)?.[1]?.length ?? 0;
  const digits = Math.max(places, given);
  return (
    new Intl.NumberFormat(languageOf(country), { minimumFractionDigits: digits, maximumFractionDigits: digits })
      // Texts are read exactly, however many digits they have (ECMA-402, 2023).
      .format(text as unknown as number)
  );
}

/** The language that most people of a country write, with the country: `en-GB`; its figures are those of the West. */
function languageOf(country: string): string {
  try {
    const { language } = new Intl.Locale('und', { region: country }).maximize();
    return `${language}-${country}-u-nu-latn-ca-gregory`;
  } catch {
    return 'en-GB';
  }
}
