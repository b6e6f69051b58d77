import { getCountries } from 'libphonenumber-js';
import { countryHere } from './here.ts';

/** All IANA zones that the browser knows, to choose from. */
export const zoneChoices = Intl.supportedValuesOf('timeZone').map((zone) => ({
  value: zone,
  label: zone.replaceAll('_', ' '),
}));

const names = new Intl.DisplayNames('en-GB', { type: 'region' });

/** All countries (ISO 3166-1 alpha-2) by name. */
export const countryChoices = getCountries()
  .map((country) => ({ value: country as string, label: `${names.of(country) ?? country} (${country})` }))
  .sort((one, other) => one.label.localeCompare(other.label));

/**
 * The zone and the country that this machine is set to, agreeing with each other.
 *
 * @param usual - the zone where the machine names none
 */
export function hereNow(usual: string): { readonly zone: string; readonly country: string | undefined } {
  const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
  const zone = zoneChoices.some((one) => one.value === timeZone) ? timeZone : usual;
  const country = countryHere(zone, new Intl.Locale(navigator.language).region);
  return { zone, country: countryChoices.some((one) => one.value === country) ? country : undefined };
}
