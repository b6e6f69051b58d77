import fc from 'fast-check';
import { lastOfSeries } from './series.ts';

test.each([
  ['by year', ['Orders 2025.xlsx', 'Orders 2026.xlsx', 'Stock 2027.xlsx'], 'Orders 2025.xlsx', 'Orders 2026.xlsx'],
  ['by number, not by sign', ['List 9.csv', 'List 10.csv'], 'List 9.csv', 'List 10.csv'],
  ['by month', ['October.xlsx', 'April.xlsx', 'November.xlsx', 'Stock.xlsx'], 'April.xlsx', 'November.xlsx'],
  ['by month of a year', ['Dezember 2025.xlsx', 'März 2026.xlsx'], 'Dezember 2025.xlsx', 'März 2026.xlsx'],
  ['the year first, wherever it stands', ['12-2025.csv', '01-2026.csv'], '12-2025.csv', '01-2026.csv'],
  ['the model alone', ['Marketing.xlsx', 'Maison.xlsx'], 'Marketing.xlsx', 'Marketing.xlsx'],
  ['another ending is another kind', ['2026.xlsx', '2027.csv'], '2026.xlsx', '2026.xlsx'],
  ['the model gone, others of it there', ['Orders 2024.xlsx'], 'Orders 2026.xlsx', 'Orders 2024.xlsx'],
])('%s', (_name, names, model, last) => {
  expect(lastOfSeries(names, model)).toBe(last);
});

test('there is none without any of its kind', () => {
  expect(lastOfSeries(['Stock.xlsx'], 'Orders 2026.xlsx')).toBeUndefined();
});

test('property: of days in any order the latest is the last, as names by ISO 8601 sort', () => {
  fc.assert(
    fc.property(
      fc.uniqueArray(
        fc
          .date({ min: new Date('1990-01-01'), max: new Date('2099-12-31'), noInvalidDate: true })
          .map((date) => date.toISOString().slice(0, 10)),
        { minLength: 1, maxLength: 12 },
      ),
      (days) => {
        const names = days.map((day) => `Orders ${day}.xlsx`);
        expect(lastOfSeries(names, names[0] as string)).toBe([...names].sort().at(-1));
      },
    ),
  );
});
