import { contactKeys } from '../../consent/contact.ts';
import { goesByPhone, isTextMessage } from '../../consent/outgoing.ts';
import { answerStopWords, type MessageMark, unsubscribeWords } from '../../consent/purpose.ts';
import { refusalOf } from '../../consent/refused.ts';
import type { Mapped } from '../../mapping/map-record.ts';
import { waitLinksId } from '../../mapping/refs.ts';
import type { ItemState } from '../../run/state.ts';
import { fieldAt } from '../../values/field.ts';
import { isEmpty, toText } from '../../values/value.ts';
import { done, type Move } from '../move.ts';
import { plainStepId } from '../turn.ts';
import type { At } from './at.ts';
import { meetProblems } from './values.ts';

// What goes out to somebody: whether it may, and what it bears with it so that its recipient can say no.

/** True for a message that only goes to whoever still wants it. */
export const isNews = ({ step, place }: Pick<At, 'step' | 'place'>): boolean =>
  step.kind === 'write' && step.purpose === 'news' && place.described.sentTo?.body !== undefined;

/**
 * What keeps a message from going out before anybody is asked: in a trial an address that it can't go to; for news more
 * than one recipient, no link by which to unsubscribe, or a record of the recipient that says no.
 */
export function whyNotSent(at: At, state: ItemState, { values }: Mapped): Move | undefined {
  const { sentTo, fields } = at.place.described;
  if (!sentTo) return undefined;
  if (state.instead !== undefined && goesByPhone(at.place.described) === state.instead.includes('@')) {
    const why = goesByPhone(at.place.described)
      ? 'The trial goes to an e-mail address: text messages need a number.'
      : 'The trial goes to a telephone number: mails need an address.';
    return done(state, { kind: 'not_sent', why });
  }
  if (!isNews(at)) return undefined;
  const { country } = at.evaluation;
  const [contact, ...others] = contactKeys(values[sentTo.to], country);
  const also = sentTo.copies.find((path) => !isEmpty(values[path]));
  const crowded = others.length > 0 ? sentTo.to : also;
  if (crowded !== undefined) {
    const label = fieldAt(fields, crowded)?.label ?? crowded;
    const message = 'News goes to one person at a time, so that each can unsubscribe for themselves.';
    return meetProblems(state, [{ path: crowded, label, message, given: values[crowded] ?? null }]);
  }
  if (contact === undefined || state.instead !== undefined) return undefined;
  if (!isTextMessage(at.place.described) && unsubscribeLink(at, state) === undefined) {
    const label = fieldAt(fields, sentTo.body ?? '')?.label ?? 'text';
    const message = 'This record was taken in before its workflow sent news, and has no link to unsubscribe by.';
    return meetProblems(state, [{ path: sentTo.body ?? '', label, message }]);
  }
  const fieldsOf = (step: string) => at.around.fieldsOf(plainStepId(step));
  // What another turn found says no for this one too.
  const refusal =
    refusalOf(at.scope, fieldsOf, contact, country) ?? refusalOf(state.values, fieldsOf, contact, country);
  return refusal && done(state, { kind: 'not_sent', why: `“${refusal.label}” is “${refusal.value}”.` });
}

/** Where the recipient of this message unsubscribes: each message of a record has an address of its own. */
function unsubscribeLink({ id }: Pick<At, 'id'>, state: ItemState): string | undefined {
  const link = itemLink(state);
  return link === undefined ? undefined : `${link}/${encodeURIComponent(id)}`;
}

function itemLink(state: ItemState): string | undefined {
  const link = state.values[waitLinksId]?.['unsubscribe'];
  return typeof link === 'string' && link !== '' ? link : undefined;
}

/** The values of a message as they go out: news that doesn't say how to unsubscribe says it at its end. */
export function withUnsubscribe(at: At, state: ItemState, values: Mapped['values']): Mapped['values'] {
  const { sentTo } = at.place.described;
  const [body, base, link] = [sentTo?.body, itemLink(state), unsubscribeLink(at, state)];
  if (!isNews(at) || body === undefined) return values;
  const text = toText(values[body]);
  const words = at.step.kind === 'write' ? at.step.unsubscribeWords : undefined;
  if (isTextMessage(at.place.described)) return { ...values, [body]: `${text.trimEnd()}\n${words ?? answerStopWords}` };
  if (base === undefined || link === undefined) return values;
  if (text.includes(base)) return { ...values, [body]: text.split(base).join(link) };
  return { ...values, [body]: `${text.trimEnd()}\n\n${words ?? unsubscribeWords}: ${link}` };
}

/** By what a message is judged before it leaves; undefined for what goes to nobody, and for a trial. */
export function messageMark(at: At, state: ItemState, values: Mapped['values']): MessageMark | undefined {
  const { sentTo } = at.place.described;
  if (!sentTo || state.instead !== undefined) return undefined;
  const { country } = at.evaluation;
  const to = [sentTo.to, ...sentTo.copies].flatMap((path) => contactKeys(values[path], country));
  if (!isNews(at)) return { purpose: 'service', to: [...new Set(to)] };
  const link = unsubscribeLink(at, state);
  return { purpose: 'news', to, ...(link !== undefined && { unsubscribe: link }) };
}
