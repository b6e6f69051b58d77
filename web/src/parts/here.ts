import { getTimezone } from 'countries-and-timezones';

/**
 * The country that a machine is in, as far as its zone and its language agree: the language's where the zone
 * is one of that country's, else the zone's own, since a clock is set to where one is and a language isn't.
 *
 * @param zone - IANA name
 * @param region - of the browser's language, ISO 3166-1 alpha-2
 */
export function countryHere(zone: string | undefined, region: string | undefined): string | undefined {
  const ofZone: readonly string[] = (zone === undefined ? undefined : getTimezone(zone)?.countries) ?? [];
  if (ofZone.length === 0 || (region !== undefined && ofZone.includes(region))) return region;
  return ofZone[0];
}
