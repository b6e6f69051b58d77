import { totalsOf } from '@golden/standins';
import type { World } from './world.ts';

/** Orders with discounts, two rates of tax, shipping and none, in all states; their customers are in the books. */
export function addOrders(world: World, count: number): void {
  for (let at = 0; at < count; at++) {
    const email = `buyer${at % 9}@clay.example`;
    const lines = [
      {
        sku: 'CLAY-1',
        name: 'Stoneware clay',
        quantity: 1 + (at % 4),
        unit_price: '12.40',
        discount: '0.00',
        tax_rate: '20.00',
      },
      {
        sku: 'BOOK-1',
        name: 'Glaze book',
        quantity: 1,
        unit_price: '18.75',
        discount: at % 3 ? '0.00' : '1.88',
        tax_rate: '0.00',
      },
    ];
    const shipping = ['0.00', '4.95', '12.50'][at % 3] as string;
    world.shop.store.sales.orders.add({
      number: `S-${100 + at}`,
      status: (['open', 'paid', 'sent', 'paid', 'cancelled'] as const)[at % 5] as 'open',
      customer_id: 10_001 + (at % 9),
      customer_name: `Buyer ${at % 9}`,
      email,
      phone: null,
      company: null,
      currency: 'GBP',
      placed_at: `2026-11-${String(1 + (at % 20)).padStart(2, '0')}T10:00:00.000Z`,
      paid_at: null,
      ship_to: { street: '9 Wheel Street', city: 'Millwick', postcode: 'ZZ7 7EF', country: 'GB' },
      shipping,
      note: null,
      ...totalsOf(lines, shipping),
    });
  }
  for (let at = 0; at < 9; at++)
    world.ledger.store.customers.add({
      company: 'retail',
      name: `Buyer ${at}`,
      contactName: null,
      electronicMail: `buyer${at}@clay.example`,
      telephone: null,
      companyId: null,
      postalAddress: { streetName: null, cityName: null, postalZone: null, countryCode: null },
      paymentTermsDays: 30,
      reference: null,
    });
}
