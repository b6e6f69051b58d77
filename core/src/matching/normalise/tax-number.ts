/**
 * A tax number without prefix of the country, spaces and marks: "IT 405 263 08123" and
 * "40526308123" are one. '' where fewer than five letters or digits are left.
 */
export function taxNumber(text: string): string {
  const bare = text
    .normalize('NFKC')
    .toUpperCase()
    .replace(/[^\p{L}\p{N}]/gu, '');
  const number = bare.replace(/^(?:VAT|UST|USTID|TVA|BTW|IVA|CHE)?[A-Z]{2}(?=[\dA-Z]*\d{5})/, '');
  return number.length >= 5 ? number : '';
}

const countriesKnown = ['DE', 'GB', 'NL', 'FR', 'IT'];

/** Whether a number is surely one that was given out: its check digit is right, by its country's rule or, where none is told, by one that it fits. */
export function isSurelyTaxNumber(number: string, country: string | undefined): boolean {
  const countries = country === undefined ? countriesKnown : [country];
  return countries.some((one) => hasRightCheckDigit(number, one) === true);
}

/**
 * Whether the check digit of a number of these countries is right; undefined for a country whose
 * rule isn't known here or a number of another length. German numbers by ISO 7064 mod 11,10, Italian
 * by Luhn, British by mod 97 (both of its forms), Dutch by mod 11, French by mod 97 of the SIREN;
 * the rules are from memory.
 */
export function hasRightCheckDigit(number: string, country: string): boolean | undefined {
  const digits = [...number].map(Number);
  const isNumeric = /^\d+$/.test(number);
  const weigh = (weights: readonly number[]): number =>
    weights.reduce((sum, weight, index) => sum + weight * (digits[index] as number), 0);
  switch (country) {
    case 'DE': {
      if (!isNumeric || digits.length !== 9) return undefined;
      let product = 10;
      for (const digit of digits.slice(0, 8)) product = ((((digit + product) % 10 || 10) * 2) % 11) as number;
      return (11 - product) % 10 === digits[8];
    }
    case 'GB': {
      if (!isNumeric || (digits.length !== 9 && digits.length !== 12)) return undefined;
      const sum = weigh([8, 7, 6, 5, 4, 3, 2]) + Number(number.slice(7, 9));
      return sum % 97 === 0 || (sum + 55) % 97 === 0;
    }
    case 'NL': {
      if (!/^\d{9}B\d{2}$/.test(number)) return undefined;
      return weigh([9, 8, 7, 6, 5, 4, 3, 2]) % 11 === digits[8];
    }
    case 'FR': {
      if (!/^\d{11}$/.test(number)) return undefined;
      return Number(number.slice(0, 2)) === (12 + 3 * (Number(number.slice(2)) % 97)) % 97;
    }
    case 'IT': {
      if (!isNumeric || digits.length !== 11) return undefined;
      const sum = digits.reduce((total, digit, index) => {
        const doubled = index % 2 === 1 ? digit * 2 : digit;
        return total + (doubled > 9 ? doubled - 9 : doubled);
      }, 0);
      return sum % 10 === 0;
    }
    default:
      return undefined;
  }
}
