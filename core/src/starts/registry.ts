import type { TriggerDefinition } from './definition.ts';
import { event } from './event/definition.ts';
import { every } from './every/definition.ts';
import { hand } from './hand/definition.ts';
import { handed } from './handed/definition.ts';
import type { Trigger, TriggerKind, TriggerOf } from './schemas.ts';
import { times } from './times/definition.ts';

/** The one definition of each kind of start. */
export const triggerKinds: { readonly [K in TriggerKind]: TriggerDefinition<TriggerOf<K>> } = {
  every,
  times,
  event,
  hand,
  handed,
};

/** The definition of a trigger's kind. */
export function triggerDefinition<T extends Trigger>(trigger: T): TriggerDefinition<T> {
  return triggerKinds[trigger.kind] as unknown as TriggerDefinition<T>;
}

/**
 * The next time after an instant at which something is to be looked at; null for never by itself.
 *
 * @param instant - UTC, ISO 8601; so is what is given
 * @param zone - the IANA zone in which times of the day are meant
 */
export function nextAfter(trigger: Trigger, instant: string, zone: string): string | null {
  return triggerDefinition(trigger).nextAfter(trigger, instant, zone);
}

/** When it is looked at first once it has been switched on; null for never by itself. */
export function firstAt(trigger: Trigger, now: string, zone: string): string | null {
  return triggerDefinition(trigger).firstAt(trigger, now, zone);
}

/** When, alone: "every 5 minutes", "at 06:00 on Monday to Friday". */
export const whenText = (trigger: Trigger): string => triggerText(trigger).replace(/^(checked|looked at) /, '');

/** A trigger as words: "asked every 5 minutes". */
export const triggerText = (trigger: Trigger): string =>
  triggerDefinition(trigger)
    .sentence(trigger)
    .map((phrase) => phrase.text)
    .join('');
