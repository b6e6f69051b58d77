import { countryHere } from './here.ts';

// By the IANA time zone database's table of zones and countries (zone1970.tab).
test.each([
  ['Europe/London', 'GB', 'GB'],
  // An American browser in Berlin, and a British one in Dublin.
  ['Europe/Berlin', 'US', 'DE'],
  ['Europe/Dublin', 'GB', 'IE'],
  // A zone that several countries share: the language says which.
  ['Europe/Zurich', 'LI', 'LI'],
  ['Europe/Berlin', undefined, 'DE'],
  // A zone of no country says nothing.
  ['Etc/UTC', 'GB', 'GB'],
  [undefined, 'SE', 'SE'],
])('in %s with a language of %s the country is %s', (zone, region, country) => {
  expect(countryHere(zone, region)).toBe(country);
});
