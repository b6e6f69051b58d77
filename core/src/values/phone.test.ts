import { type CountryCode, getCountries, getExampleNumber } from 'libphonenumber-js';
import examples from 'libphonenumber-js/mobile/examples';
import { readPhone } from './phone.ts';

// The example numbers that come with libphonenumber's metadata, one for each region that has one.
const regions = getCountries().flatMap((region) => {
  const number = getExampleNumber(region as CountryCode, examples);
  return number ? [{ region, number }] : [];
});

test('the published example of every region is read alike in national, international and RFC 3966 writing', () => {
  expect(regions.length).toBeGreaterThan(240);
  for (const { region, number } of regions) {
    expect([region, readPhone(number.formatNational(), region)]).toEqual([region, number.number]);
    expect([region, readPhone(number.formatInternational(), 'GB')]).toEqual([region, number.number]);
    expect([region, readPhone(number.format('RFC3966'), 'GB')]).toEqual([region, number.number]);
  }
});
