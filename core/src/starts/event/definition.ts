import { setting, words } from '../../workflow/phrase.ts';
import { minutesLater } from '../clock.ts';
import type { TriggerDefinition } from '../definition.ts';
import { everyLabel } from '../every/definition.ts';
import type { Trigger } from '../schemas.ts';
import type { EventTrigger } from './schema.ts';

const arrivalPrefix = 'arrival|';

/** The key of the event that something has come into an inbox. */
export const arrivalEvent = (inbox: string): string => `${arrivalPrefix}${inbox}`;

/** Where the events come that only tell of a start's records, and where in them a record's id stands. */
export function tellingOf({
  trigger,
}: {
  readonly trigger: Trigger;
}): { readonly inbox: string; readonly id: string } | undefined {
  if (trigger.kind !== 'event') return undefined;
  const { tells, event: told } = trigger;
  return tells && told?.startsWith(arrivalPrefix)
    ? { inbox: told.slice(arrivalPrefix.length), id: tells.id }
    : undefined;
}

/** The key of the event that a start is told by: its own, or that of the inbox that is its source. */
const eventOf = (trigger: EventTrigger, inbox: string | undefined): string | undefined =>
  trigger.event ?? (inbox === undefined ? undefined : arrivalEvent(inbox));

/** The key of the event that a start is told by; undefined where nothing tells it. */
export function toldBy({
  trigger,
  source,
}: {
  readonly trigger: Trigger;
  readonly source: { readonly path: readonly string[] } | null;
}): string | undefined {
  const inbox = source?.path[0];
  if (trigger.kind === 'event') return eventOf(trigger, inbox);
  return trigger.kind === 'handed' && inbox !== undefined ? arrivalEvent(inbox) : undefined;
}

/** As soon as something comes. */
export const event: TriggerDefinition<EventTrigger> = {
  kind: 'event',
  isTold: true,
  make: () => ({ kind: 'event' }),
  sentence: ({ alsoEvery, tells }) => [
    words('looked at '),
    setting(tells ? 'as soon as an event tells of it' : 'as soon as it comes'),
    ...(alsoEvery === undefined ? [] : [words(' and '), setting(everyLabel(alsoEvery))]),
  ],
  problems: ({ event: told, tells }) => [
    ...(tells && told === undefined ? ['Make an address at which the events are posted.'] : []),
    ...(tells && told !== undefined && tells.id === ''
      ? ['Choose the field of the event that holds the record’s id.']
      : []),
  ],
  // What came meanwhile is looked at once.
  firstAt: (_trigger, now) => now,
  nextAfter: ({ alsoEvery }, instant) => (alsoEvery === undefined ? null : minutesLater(instant, alsoEvery)),
};
