import { type CountryCode, getCountries, getCountryCallingCode } from 'libphonenumber-js';

let callingCodes: Set<string> | undefined;

function knownCallingCodes(): Set<string> {
  callingCodes ??= new Set(getCountries().map((country) => getCountryCallingCode(country)));
  return callingCodes;
}

/** Extensions, as they are written after a number. */
const extension = /\s*(?:ext(?:ension)?|extn|durchwahl|dw|poste|toestel|int(?:erno)?|x|#)\.?\s*\d{1,6}\s*$/i;

/** The calling code that international digits begin with: no code is the beginning of another (ITU-T E.164). */
function callingCodeOf(digits: string): string | undefined {
  for (let length = 1; length <= 3; length++)
    if (knownCallingCodes().has(digits.slice(0, length))) return digits.slice(0, length);
  return undefined;
}

/**
 * The digits by which a telephone number is told from another within its country: without calling
 * code, trunk prefix, extension and marks. National and international forms of a number agree, also
 * where a typing slip keeps the number from being a possible one. '' without four digits.
 *
 * @param country - ISO 3166-1 alpha-2 of the record, for numbers written with a calling code but
 * without its plus
 */
export function subscriberDigits(text: string, country?: string): string {
  const bare = text
    .replace(/^\s*tel:/i, '')
    .replace(extension, '')
    .replace(/\(\s*0\s*\)/g, '');
  const isInternational = /^\s*(?:\+|00)/.test(bare);
  let digits = bare.replace(/\D/g, '');
  if (isInternational) {
    digits = digits.replace(/^00/, '');
    const code = callingCodeOf(digits);
    if (code !== undefined) digits = digits.slice(code.length);
  } else if (country !== undefined) {
    const code = callingCode(country);
    // "44 1632 960771": more digits than a national number has, beginning with the code.
    if (code !== undefined && digits.startsWith(code) && digits.length - code.length >= 9)
      digits = digits.slice(code.length);
  }
  // A leading 1 before ten digits is the trunk prefix of the North American plan.
  if (digits.length === 11 && digits.startsWith('1')) digits = digits.slice(1);
  digits = digits.replace(/^0+/, '');
  return digits.length >= 4 ? digits : '';
}

const codeByCountry = new Map<string, string | undefined>();

function callingCode(country: string): string | undefined {
  if (!codeByCountry.has(country)) {
    const isKnown = getCountries().includes(country as CountryCode);
    codeByCountry.set(country, isKnown ? getCountryCallingCode(country as CountryCode) : undefined);
  }
  return codeByCountry.get(country);
}
