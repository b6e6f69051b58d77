import { makeDoor } from '@golden/server';
import { settled, unbalanced } from '../../server/src/testing/checks.ts';
import { connectBoth, openServices, openWorld, rowsOf } from '../../server/src/testing/world.ts';
import { addBeginnings } from './beginnings.ts';

test('the five that ask no app are live; an enquiry that the website posts stands on the list, what was posted before does not', async () => {
  const world = await openWorld();
  const services = await openServices(world);
  try {
    const { shelf } = await connectBoth(world, services);
    await addBeginnings(services, shelf);
    const all = await services.workflows.list();
    expect(all.map(({ draft, isOn }) => [draft.name, isOn])).toEqual([
      ['Website enquiries onto the front desk’s list', true],
      ['Sales of the market stall', true],
      ['A kiln visit', true],
      ['The stock check', true],
      ['Workshop places asked for by a form', true],
    ]);
    const [inbox = ''] = all[0]?.draft.start.source?.path ?? [];
    const { address, secret, setting } = await services.doors.of(inbox);
    expect(setting.access).toEqual({ kind: 'secret', header: 'x-secret' });
    for (let times = 0; times < 2; times++) {
      const answer = await makeDoor(services).request(`/in/${address}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-secret': secret },
        body: JSON.stringify({ id: 'w-1044', name: 'Priya Nair', about: '=glaze', page: 'glazes' }),
      });
      expect(answer.status).toBe(202);
    }
    await services.engine.quiet();
    await services.engine.tick();
    await settled(services);
    const rows = await rowsOf(world.shelf.files.get('Front desk.xlsx')?.bytes ?? Buffer.alloc(0), 'Enquiries');
    expect(rows).toEqual([
      { No: 'w-1044', Name: 'Priya Nair', 'E-mail': null, Phone: null, About: '=glaze', Page: 'glazes' },
    ]);
    // The stall's first file was there before; the second was corrected.
    const sales = await rowsOf(world.shelf.files.get('Front desk.xlsx')?.bytes ?? Buffer.alloc(0), 'Market stall');
    expect(sales.map((row) => [row['Receipt'], String(row['Quantity'])])).toEqual([
      ['S-203', '3'],
      ['S-204', '2'],
      ['S-205', '2'],
      ['S-206', '1'],
    ]);
    expect(await unbalanced(services)).toEqual([]);
  } finally {
    await services.close();
    await world.close();
  }
});
