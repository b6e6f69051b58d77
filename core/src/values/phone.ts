import {
  type CountryCode,
  getCountryCallingCode,
  isSupportedCountry,
  parsePhoneNumberFromString,
} from 'libphonenumber-js';

/**
 * A telephone number in E.164 (`+441632960771`), or undefined when the text is no possible number.
 * A number without a country prefix is read as dialled in `country` (ISO 3166-1 alpha-2).
 * Possible, not valid: the ranges that regulators reserve are numbers too.
 */
export function readPhone(text: string, country: string): string | undefined {
  const name = `${country}|${text}`;
  if (read.has(name)) return read.get(name);
  const number = parse(text, country);
  if (read.size >= mostRead) read.clear();
  read.set(name, number);
  return number;
}

/** Numbers read lately: a record is mapped several times on its way, and reading one takes long. */
const read = new Map<string, string | undefined>();
const mostRead = 20_000;

function parse(text: string, country: string): string | undefined {
  const region = isSupportedCountry(country) ? (country as CountryCode) : undefined;
  const number = parsePhoneNumberFromString(
    // As a link has it (RFC 3966): tel:+44-1632-960771
    text.replace(/^\s*tel:/i, ''),
    region ? { defaultCountry: region, extract: false } : { extract: false },
  );
  return number?.isPossible() ? number.number : undefined;
}

/** The country that a number in E.164 belongs to, where that isn't the one expected; undefined where they share a code. */
export function otherCountryOf(number: string, expected: string): string | undefined {
  const parsed = parsePhoneNumberFromString(number);
  if (!parsed || !isSupportedCountry(expected)) return undefined;
  if (parsed.countryCallingCode === getCountryCallingCode(expected as CountryCode)) return undefined;
  return parsed.country ?? `+${parsed.countryCallingCode}`;
}
