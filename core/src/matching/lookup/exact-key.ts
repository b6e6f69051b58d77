import { foldCase } from '../../values/text.ts';
import type { FieldKind } from '../kinds.ts';
import { companyName } from '../normalise/company.ts';
import { emailParts } from '../normalise/email.ts';
import { fullName } from '../normalise/person.ts';
import { postcode, streetLine, town } from '../normalise/place.ts';
import { taxNumber } from '../normalise/tax-number.ts';
import { subscriberDigits } from '../normalise/telephone.ts';
import { foldUmlauts } from '../text/fold.ts';

/**
 * What two values of a kind have in common when they are the same: `+44 1632 960771` and
 * `01632 960 771` give one key, `Kiln & Co. Ltd` and `KILN AND CO` as well. '' where nothing is told.
 *
 * @param country - ISO 3166-1 alpha-2, for telephones
 */
export function exactKey(kind: FieldKind, text: string, country?: string): string {
  if (text.trim() === '') return '';
  switch (kind) {
    case 'email': {
      const parts = emailParts(text);
      return parts ? `${parts.local}@${parts.domain}` : '';
    }
    case 'phone':
      return subscriberDigits(text, country);
    case 'tax_number':
      return taxNumber(text);
    case 'company':
      return companyName(text).words.join(' ');
    case 'full_name': {
      const { given, family } = fullName(text);
      return [...given, ...family].sort().join(' ');
    }
    case 'given_name':
    case 'family_name':
      return foldUmlauts(text).trim().replace(/\s+/g, ' ');
    case 'postcode':
      return postcode(text);
    case 'city':
      return town(text);
    case 'street': {
      const { name, number } = streetLine(text);
      return `${name} ${number}`.trim();
    }
    case 'code':
      return foldUmlauts(text).replace(/[^\p{L}\p{N}]/gu, '');
    default:
      return foldCase(text.trim());
  }
}
