import type { KeyStore, WindowStore } from '@golden/standins';
import { DateTime } from 'luxon';

/** Who has an account already, and the groups of the firm. */
export function fillCabinet(store: KeyStore, now: string): void {
  const long = DateTime.fromISO(now).minus({ days: 200 }).toUTC().toISO() ?? now;
  const people = [
    ['mira.holm', 'Mira', 'Holm', 'Office'],
    ['tomasz.wrona', 'Tomasz', 'Wrona', 'Warehouse'],
    ['aisha.karim', 'Aisha', 'Karim', 'Shop'],
  ] as const;
  const ids = people.map(
    ([userName, givenName, familyName, department]) =>
      store.accounts.add(
        {
          userName,
          externalId: null,
          name: { givenName, familyName },
          displayName: `${givenName} ${familyName}`,
          title: null,
          department,
          emails: [{ value: `${userName}@saltmarsh.example`, type: 'work', primary: true }],
          phoneNumbers: [],
          active: true,
        },
        long,
      ).id,
  );
  store.groups.add({ displayName: 'Everybody', externalId: null, members: ids }, long);
  store.groups.add({ displayName: 'New people', externalId: null, members: [] }, long);
  store.groups.add({ displayName: 'Shop floor', externalId: null, members: ids.slice(2) }, long);
}

const mentions = [
  ['a potters’ magazine', 'Hilde Brandt', 'Their stoneware arrives dry and well packed. The speckled one is a joy.'],
  ['a blog', '陶芸 一郎', '釉薬がとてもきれいに出ました。'],
  ['a forum', 'Sam O’Malley', 'Ordered twice, both times a day early. Ask for the “B” firing chart!'],
] as const;

/** The website's sections, and what people wrote of the shop. */
export function fillWindow(store: WindowStore, now: string): void {
  const before = (days: number): string => DateTime.fromISO(now).minus({ days }).toUTC().toISO() ?? now;
  const said = store.sections.add({ name: 'What people say' }, before(300));
  store.sections.add({ name: 'Open days' }, before(300));
  store.entries.add(
    {
      section: said.id,
      title: 'A studio in Millwick',
      text: 'Ten bags on the doorstep by nine. Thank you!',
      author: 'Wheel Street Studio',
      link: 'https://mentions.example/millwick',
      state: 'shown',
    },
    before(90),
  );
  mentions.forEach(([where, author, text], at) => {
    store.mentions.add({ where, author, text, link: `https://mentions.example/${at + 1}` }, before(9 - at * 2));
  });
}
