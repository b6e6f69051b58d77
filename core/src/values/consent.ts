import type { Field } from './field.ts';
import { foldCase } from './text.ts';
import { isEmpty, toText, type Value } from './value.ts';
import { readYesNo } from './yes-no.ts';

// A consent that was withdrawn stays so, whatever is newer: common practice, and the law in many countries.

/** What a yes in a field means: that people may be contacted, or that they must not be. */
type Consent = 'allows' | 'forbids';

const forbids =
  /\b(opt(ed)? ?out|do ?not ?(mail|e ?mail|call|contact|phone|text|track|write)|don.?t ?(mail|e ?mail|call|contact)|dnc|unsubscribed?|no ?(marketing|mailings?|calls?|newsletter|contact)|suppressed|abgemeldet|widersprochen|desabonne|desinscrit|baja)\b/;
const allows =
  /\b(opt(ed)? ?in|double opt ?in|consents?|may ?(be )?(mail|e ?mail|call|contact|text|phone)(ed)?|(can|ok to) ?(be )?(mail|e ?mail|call|contact|text|phone)(ed)?|accepts? ?(marketing|mailings?|newsletters?)|marketing ?(consent|allowed|permission|ok|emails?)|(mail|e ?mail|sms|phone|contact) ?(allowed|permission|ok)|newsletter|subscribed|gdpr|einwilligung|werbung erlaubt|consentement|consentimiento)\b/;

/** Words that take a consent back by themselves, whatever their field is called. */
const withdrawn = new Set(
  [
    'unsubscribed',
    'opted out',
    'opt out',
    'opted_out',
    'do not contact',
    'do not call',
    'do not mail',
    'abgemeldet',
  ].map(foldCase),
);
/** Words for no and for yes that only say so of a consent. */
const refused = new Set(['never', 'denied', 'refused', 'none', 'withdrawn', 'unsubscribed', 'opted out'].map(foldCase));
const granted = new Set(['granted', 'subscribed', 'opted in', 'allowed'].map(foldCase));

/** What a yes in this field means for whom may be contacted; undefined where it is about something else. Read from its name. */
export function consentOf(field: Pick<Field, 'path'> & Partial<Pick<Field, 'label' | 'type'>>): Consent | undefined {
  if (field.type !== undefined && !['boolean', 'choice', 'text', 'any', 'list'].includes(field.type)) return undefined;
  for (const name of [field.label ?? '', field.path.split('/').at(-1) ?? '']) {
    const words = spacedWords(name);
    if (forbids.test(words)) return 'forbids';
    if (allows.test(words)) return 'allows';
  }
  return undefined;
}

/** `acceptsMarketing`, `accepts_marketing` and `Accepts marketing` as one. */
const spacedWords = (name: string): string =>
  foldCase(name.replace(/([\p{Ll}\d])(\p{Lu})/gu, '$1 $2'))
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .replace(/[^\p{L}\p{N}’']+/gu, ' ')
    .trim();

/** Whether a value in this field says that somebody must not be contacted. */
export function saysNo(field: Parameters<typeof consentOf>[0], value: Value | undefined): boolean {
  if (isEmpty(value)) return false;
  const word = foldCase(toText(value).trim());
  if (withdrawn.has(word)) return true;
  const consent = consentOf(field);
  if (consent === undefined) return false;
  const said = readYesNo(word);
  return consent === 'allows' ? said === false || refused.has(word) : said === true || granted.has(word);
}
