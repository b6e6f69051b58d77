import type { NewsletterStore } from '@golden/standins';
import { DateTime } from 'luxon';

/** Who is on the newsletter, and how that stands. */
const subscribers = [
  ['rosa@barro.example', 'Rosa García Iglesias', 'subscribed', 'raku'],
  ['ines@quayle.example', 'Ines Quayle', 'unsubscribed', 'glazes'],
  ['j.marsh@kiln.example', 'J. Marsh', 'unsubscribed', null],
  ['hanako@yaki.example', '山田 花子', 'subscribed', 'porcelain'],
  ['old.address@slip.example', null, 'bounced', 'wheels'],
  ['tamsin@wheelwright.example', 'Tamsin Wheelwright', 'subscribed', null],
] as const;

/** Two lists, with a field of the business's own. */
export function fillNewsletter(store: NewsletterStore, now: string): void {
  store.addList('potters', 'Potters');
  store.addList('schools', 'Schools and clubs');
  store.addOwnField('interest');
  subscribers.forEach(([email, name, status, interest], at) => {
    const joined =
      DateTime.fromISO(now)
        .minus({ days: 60 - at * 7 })
        .toUTC()
        .toISO() ?? now;
    store.add({ list: 'potters', email, name, status, own: { interest } }, joined);
  });
}
