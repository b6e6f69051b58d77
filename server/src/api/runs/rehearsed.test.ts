import ExcelJS from 'exceljs';
import Papa from 'papaparse';
import { noCounts, rehearsalCounts } from '../../engine/rehearsal-counts.ts';
import type { Services } from '../../services.ts';
import { customersToPeople } from '../../testing/matching.ts';
import {
  addCard,
  connectBoth,
  connectCards,
  customer,
  openServices,
  openWorld,
  type World,
} from '../../testing/world.ts';
import { makeApi } from '../app.ts';

// A rehearsal is narrowed, searched, and saved: what would change, before anything does.

let world: World;
let services: Services;
let workflow: string;
let api: ReturnType<typeof makeApi>;

beforeEach(async () => {
  world = await openWorld();
  for (const [at, [first_name, last_name]] of [
    ['Ada', 'Holm'],
    ['Tom', 'Field'],
    ['Mira', 'Stone'],
  ].entries())
    world.shop.store.add(
      customer({
        first_name: first_name as string,
        last_name: last_name as string,
        email: `${first_name}@clay.example`.toLowerCase(),
        phone: `01632 960 10${at}`,
        address: { street: `${at + 1} Kiln Lane`, city: 'Millwick', postcode: `ZZ${at} 1AA`, country: 'GB' },
      }),
    );
  world.shop.store.add(customer({ first_name: 'Zoë', last_name: '=HYPERLINK("x")', email: 'zoe@quist.example' }));
  services = await openServices(world);
  const connected = await connectBoth(world, services);
  const cards = await connectCards(world, services);
  addCard(world, 'people', { firstName: 'Ada', lastName: 'Other', email: 'ada@clay.example', phone: null });
  workflow = await customersToPeople(services, connected, cards);
  await services.engine.rehearse(workflow, 'all');
  await services.engine.rehearsals.wait(workflow);
  api = makeApi(services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function get<T>(path: string): Promise<T> {
  const answer = await api.request(`/api/workflows/${workflow}/${path}`, { headers: { host: 'localhost' } });
  return (await answer.json()) as T;
}
const titles = async (query: string): Promise<string[]> =>
  (await get<{ title: string }[]>(`rehearsal/items?${query}`)).map(({ title }) => title).sort();

test('what an earlier release counted, which knew fewer of these, is read', () => {
  const { removed: _new, ...earlier } = noCounts().marks;
  expect(rehearsalCounts.parse({ states: {}, steps: {}, marks: earlier })).toEqual(noCounts());
});

test('by what records came to, and by any word that stands in them; the counts are those of the rows', async () => {
  const { marks } = await get<{ marks: Record<string, number> }>('rehearsal');
  expect(marks).toEqual({ new: 3, changed: 1, same: 0, removed: 0, erased: 0, differs: 0, kept: 0 });
  for (const [mark, count] of Object.entries(marks)) expect(await titles(`mark=${mark}`)).toHaveLength(count);
  expect(await titles('search=zoe%40quist')).toEqual([expect.stringContaining('Zoë')]);
  // In values, never in the names of fields; signs of the search itself are looked for as they are.
  expect(await titles('search=first_name')).toEqual([]);
  expect(await titles('search=%25')).toEqual([]);
  expect(await titles('mark=changed&search=zoe')).toEqual([]);
});

test('every change is in the list with what was and what would be, and the same as CSV and as a workbook', async () => {
  interface Change {
    what: string;
    field: string;
    before: unknown;
    after: unknown;
    title: string;
  }
  const changes = await get<Change[]>('rehearsal/changes?limit=500');
  expect(changes).toContainEqual(
    expect.objectContaining({ what: 'changed', field: 'last name', before: 'Other', after: expect.any(String) }),
  );
  const file = async (format: string): Promise<Buffer> =>
    Buffer.from((await get<{ base64: string }>(`rehearsal/changes-file?format=${format}`)).base64, 'base64');
  const csv = Papa.parse<Record<string, string>>(
    (await file('csv'))
      .toString('utf8')
      .replace(/^\ufeff/, '')
      .trim(),
    {
      header: true,
    },
  ).data;
  expect(csv).toHaveLength(changes.length);
  // What a spreadsheet program would run as a formula is made harmless in the CSV.
  expect(csv.some(({ after }) => after?.startsWith('=HYPERLINK'))).toBe(false);
  expect(csv.some(({ after }) => after?.includes('HYPERLINK'))).toBe(true);
  const book = new ExcelJS.Workbook();
  await book.xlsx.load((await file('xlsx')) as never);
  const sheet = book.worksheets[0];
  expect(sheet?.rowCount).toBe(changes.length + 1);
  expect(sheet?.getRow(1).values).toEqual([undefined, 'record', 'name', 'place', 'what', 'field', 'before', 'after']);
});
