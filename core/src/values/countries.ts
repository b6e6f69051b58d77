import { countries, type TCountryCode } from 'countries-list';
import { foldCase } from './text.ts';

/** Names that people write and lists of countries don't hold (common practice). */
const everyday: Readonly<Record<string, TCountryCode>> = {
  uk: 'GB',
  'great britain': 'GB',
  britain: 'GB',
  england: 'GB',
  scotland: 'GB',
  wales: 'GB',
  'northern ireland': 'GB',
  usa: 'US',
  'united states of america': 'US',
  america: 'US',
  eire: 'IE',
  éire: 'IE',
  'republic of ireland': 'IE',
  holland: 'NL',
  'the netherlands': 'NL',
  'czech republic': 'CZ',
  'viet nam': 'VN',
  uae: 'AE',
  'ivory coast': 'CI',
  türkiye: 'TR',
};

/**
 * Distinguishing signs of vehicles in international traffic with one letter (UN conventions on road traffic,
 * from memory), by which offices in Europe write countries: D-01069. The longer ones are read as ISO's codes.
 */
const signs: Readonly<Record<string, TCountryCode>> = {
  a: 'AT',
  b: 'BE',
  d: 'DE',
  e: 'ES',
  f: 'FR',
  h: 'HU',
  i: 'IT',
  l: 'LU',
  n: 'NO',
  p: 'PT',
  s: 'SE',
};

let byName: Map<string, string> | undefined;

function names(): Map<string, string> {
  if (byName) return byName;
  byName = new Map<string, string>([...Object.entries(everyday), ...Object.entries(signs)]);
  for (const [code, country] of Object.entries(countries)) {
    byName.set(foldCase(code), code);
    for (const name of [country.name, country.native])
      if (!byName.has(foldCase(name))) byName.set(foldCase(name), code);
  }
  return byName;
}

/** The country's two letters (ISO 3166-1 alpha-2) for a code or a name, English or its own; undefined for anything else. */
export function readCountry(text: string): string | undefined {
  return names().get(foldCase(text.trim().replace(/\./g, '')));
}
