import ICAL from 'ical.js';
import { NotPossible } from '../../engine/errors.ts';

/** The components of an iCalendar or vCard text. @throws NotPossible where it is broken */
export function parsedComponents(name: string, text: string): InstanceType<typeof ICAL.Component>[] {
  try {
    const parsed = ICAL.parse(text) as unknown[];
    const all = typeof parsed[0] === 'string' ? [parsed] : parsed;
    return all.map((one) => new ICAL.Component(one as never));
  } catch (error) {
    throw new NotPossible(`“${name}” can’t be read: it may have been cut off. (${(error as Error).message})`);
  }
}
