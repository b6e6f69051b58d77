import { getCountries } from 'libphonenumber-js';

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

/** The zone and country that this machine is set to, where it says so. */
export function hereNow(): { readonly zone: string | undefined; readonly country: string | undefined } {
  const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
  const region = new Intl.Locale(navigator.language).region;
  return {
    zone: zoneChoices.some((one) => one.value === timeZone) ? timeZone : undefined,
    country: countryChoices.some((one) => one.value === region) ? region : undefined,
  };
}
