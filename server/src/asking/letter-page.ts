import { keyOf, type Question, readableValue, type ShownField, type ShownWrite, toText } from '@golden/core';
import { html } from 'hono/html';
import { unreadableLink } from '../doors/link-page.ts';
import { type Html, publicPage } from '../doors/public-page.ts';
import type { Answered } from './answer.ts';
import type { OpenAsk } from './asks.ts';
import type { AnswerToShow, LetterLook } from './letter-access.ts';
import { type FieldAnswer, questionFields } from './question-fields.ts';

// The page on which somebody who was written to answers. It is a form without a script: a phone with a poor line shows it.

/** What was typed on the page, and what became of it, so that nothing typed is lost. */
export interface Typed {
  readonly values: Readonly<Record<string, string | string[]>>;
  /** By item. */
  readonly results: ReadonlyMap<string, Answered>;
}

const nothingTyped: Typed = { values: {}, results: new Map() };

/** The page of a link that is open. */
export function reviewPage(
  { letter, asks, total }: Extract<LetterLook, { state: 'open' }>,
  { business, workflow, until }: { readonly business: string; readonly workflow: string; readonly until: string },
  typed: Typed = nothingTyped,
): Promise<string> {
  const isApproval = asks[0]?.asked.what.kind === 'approval';
  const [first] = asks;
  const isOne = total === 1;
  const title = isApproval
    ? isOne
      ? `Approve ${first?.title ?? ''}?`
      : `Approve ${total} records?`
    : isOne
      ? `A question about ${first?.title ?? ''}`
      : `Questions about ${total} records`;
  const shared = asks.every(({ asked }) => asked.words === first?.asked.words) ? (first?.asked.words ?? '') : '';
  const body = html`
${notesOf(typed, total)}
${shared === '' ? '' : html`<p class="words">${shared}</p>`}
<p class="soft">Asked of ${letter.address}, in “${workflow}”. It can be answered until ${until}. Not answering never counts as a yes.</p>
<form method="post" autocomplete="off">
<input type="hidden" name="do" value="answer">
${isApproval && !isOne ? html`<div class="buttons"><button type="submit" name="all" value="yes">Approve all ${asks.length}</button></div>` : ''}
${asks.map((ask, at) => recordPart(ask, at, { isOne, showsWords: shared === '' }, typed))}
${total > asks.length ? html`<p class="soft">${total - asks.length} more come once these are answered.</p>` : ''}
${isApproval && !isOne ? allPart(asks.length, typed) : ''}
<div class="buttons">${
    isApproval && isOne
      ? html`<button type="submit" name="all" value="yes">Approve</button><button class="plain" type="submit" name="all" value="no">Refuse</button>`
      : isApproval
        ? html`<button type="submit" name="all" value="">Send the answers chosen above</button><button class="plain" type="submit" name="all" value="yes">Approve all ${asks.length}</button><button class="plain" type="submit" name="all" value="no">Refuse all ${asks.length}</button>`
        : html`<button type="submit" name="all" value="">Send</button>`
  }</div>
</form>`;
  return publicPage({ business, title, body, isWide: isApproval });
}

function recordPart(
  ask: OpenAsk,
  at: number,
  { isOne, showsWords }: { readonly isOne: boolean; readonly showsWords: boolean },
  typed: Typed,
): Html {
  const { asked, title, print, itemId } = ask;
  const result = typed.results.get(itemId);
  const problems = result?.state === 'unfit' ? result.problems : [];
  const { what } = asked;
  const inner =
    what.kind === 'approval'
      ? html`<p class="soft">${what.shown.kind === 'create' ? `A new ${what.shown.singular}` : `A change of this ${what.shown.singular}`} in ${what.shown.place}</p>
${valuesPart(what.shown, at, title, typed, problems)}
${verdictPart(at, isOne, title, typed, problems.find(({ path }) => path === 'reason')?.message)}`
      : questionFields(what.questions, `q.${at}.`, answersTyped(what.questions, at, typed), problems);
  return html`<section class="record" aria-label="${title}">
<input type="hidden" name="i.${at}" value="${itemId} ${print}">
${isOne ? '' : html`<h2>${title}</h2>`}
${showsWords && asked.words !== '' ? html`<p class="words">${asked.words}</p>` : ''}
${asked.again === undefined ? '' : html`<p class="note">You are asked once more. ${asked.again}</p>`}
${result?.state === 'changed' ? html`<p class="bad">It has changed since you opened this page. Look at it once more.</p>` : ''}
${inner}
</section>`;
}

function answersTyped(questions: readonly Question[], at: number, { values }: Typed): Record<string, FieldAnswer> {
  return Object.fromEntries(
    questions.flatMap((question) => {
      const value = values[`q.${at}.${keyOf(question)}`];
      return value === undefined ? [] : [[keyOf(question), value]];
    }),
  );
}

/** What would be written, to be read; and its values to be changed, for whoever wants to. */
function valuesPart(
  { kind, fields }: ShownWrite,
  at: number,
  title: string,
  { values }: Typed,
  problems: readonly { readonly path: string; readonly message: string }[],
): Html {
  const isNew = kind === 'create';
  const inputs = fields.flatMap((field, number) => {
    if (!field.canChange) return [];
    const name = `c.${at}.${number}`;
    const typed = values[name];
    const value = typeof typed === 'string' ? typed : toText(field.after);
    return [{ field, name, value, problem: problems.find(({ path }) => path === field.path)?.message }];
  });
  const isOpen = inputs.some(({ field, value, problem }) => problem !== undefined || value !== toText(field.after));
  return html`<table class="values"><caption class="hidden">${title}</caption>
<thead><tr><th scope="col">Field</th>${isNew ? html`<th scope="col">Value</th>` : html`<th scope="col">Now</th><th scope="col">Will be</th>`}</tr></thead>
<tbody>${fields.map(
    ({ label, before, after }) =>
      html`<tr><th scope="row">${label}</th>${isNew ? '' : html`<td class="soft">${readableValue(before ?? null) || 'empty'}</td>`}<td>${readableValue(after) || 'empty'}</td></tr>`,
  )}</tbody></table>
${
  inputs.length === 0
    ? ''
    : html`<details${isOpen ? ' open' : ''}><summary>Change a value first</summary>${inputs.map(
        ({ field, name, value, problem }) =>
          html`<div class="field"><label for="${name}">${field.label}</label><div>${inputFor(field, name, value, problem)}${problem === undefined ? '' : html`<p class="bad" id="${name}-problem">${problem}</p>`}</div></div>`,
      )}</details>`
}`;
}

function inputFor(field: ShownField, name: string, value: string, problem: string | undefined): Html {
  const { type, options, isLong } = field;
  const invalid = problem === undefined ? '' : html`aria-invalid="true" aria-describedby="${name}-problem"`;
  const choices = options ?? (type === 'boolean' ? yesNo : undefined);
  if (choices && (value === '' || choices.some((one) => one.value === value)))
    return html`<select id="${name}" name="${name}" ${invalid}><option value=""></option>${choices.map(
      (one) => html`<option value="${one.value}"${one.value === value ? ' selected' : ''}>${one.label}</option>`,
    )}</select>`;
  if (isLong || value.includes('\n'))
    return html`<textarea id="${name}" name="${name}" rows="6" ${invalid}>
${value}</textarea>`;
  const kind = type === 'date' && /^\d{4}-\d\d-\d\d$/.test(value) ? 'date' : 'text';
  return html`<input id="${name}" name="${name}" type="${kind}" value="${value}" ${invalid}>`;
}

const yesNo = [
  { value: 'true', label: 'yes' },
  { value: 'false', label: 'no' },
];

function verdictPart(at: number, isOne: boolean, title: string, { values }: Typed, problem: string | undefined): Html {
  const said = values[`v.${at}`];
  const choice = (value: string, label: string): Html =>
    html`<label class="choice"><input type="radio" name="v.${at}" value="${value}"${said === value || (said === undefined && value === '') ? ' checked' : ''}> ${label}</label>`;
  const reason = typeof values[`r.${at}`] === 'string' ? (values[`r.${at}`] as string) : '';
  return html`${
    isOne
      ? ''
      : html`<fieldset class="answers"><legend class="soft">${title}</legend>${choice('yes', 'Approve')}${choice('no', 'Refuse')}${choice('', 'Not now')}</fieldset>`
  }<label for="r.${at}">Why, if you refuse it</label><input id="r.${at}" name="r.${at}" type="text" maxlength="300" value="${reason}"${problem === undefined ? '' : html` aria-invalid="true" aria-describedby="r.${at}-problem"`}>
${problem === undefined ? '' : html`<p class="bad" id="r.${at}-problem">${problem}</p>`}`;
}

const allPart = (count: number, { values }: Typed): Html =>
  html`<label for="why-all">Why, if you refuse all ${count}</label><input id="why-all" name="r.all" type="text" maxlength="300" value="${typeof values['r.all'] === 'string' ? values['r.all'] : ''}">`;

/** What became of the answers that were sent just now. */
function notesOf({ results }: Typed, total: number): Html | string {
  if (results.size === 0) return '';
  const count = (state: Answered['state']): number => [...results.values()].filter((one) => one.state === state).length;
  const before = [...results.values()].find((one) => one.state === 'before');
  const said = [
    count('taken') > 0 && `${count('taken')} answered.`,
    count('unfit') > 0 && `${count('unfit')} not taken yet: something doesn’t fit, see below.`,
    count('changed') > 0 && `${count('changed')} changed meanwhile.`,
    before?.state === 'before' && `${count('before')} answered by ${before.who} before you.`,
    count('over') > 0 && `${count('over')} not asked any more.`,
    `${total} still to answer.`,
  ].filter((one) => one !== false);
  return html`<p class="note" role="status">${said.join(' ')}</p>`;
}

/** The page on which the code is typed that was sent beside the link. */
export function codePage(
  { letter, isSent }: Extract<LetterLook, { state: 'code' }>,
  business: string,
  why: string | undefined,
): Promise<string> {
  const body = html`
<p>This concerns money, or mails to many. So that nobody but you answers, a code is sent to ${letter.address}, in a mail of its own.</p>
${why === undefined ? '' : html`<p class="bad" role="alert">${why}</p>`}
${
  isSent
    ? html`<form method="post"><input type="hidden" name="do" value="code"><label for="code">The six figures of the code</label>
<input id="code" name="code" inputmode="numeric" autocomplete="one-time-code" maxlength="12" required autofocus><div class="buttons"><button type="submit">Go on</button></div></form>`
    : ''
}
<form method="post"><input type="hidden" name="do" value="send"><button class="${isSent ? 'plain' : ''}" type="submit">${isSent ? 'Send another code' : 'Send me the code'}</button></form>`;
  return publicPage({ business, title: isSent ? 'Type the code' : 'First a code', body });
}

/** What is shown once nothing is left to answer, with who answered what. */
export function answeredPage(
  answers: readonly AnswerToShow[],
  { business, moment }: { readonly business: string; readonly moment: (at: string) => string },
): Promise<string> {
  const body = html`<ul>${answers.map(({ title, answer }) => html`<li>${title}: ${answerText(answer, moment)}</li>`)}</ul>`;
  return publicPage({ business, title: 'All of this is answered', body });
}

function answerText(answer: AnswerToShow['answer'], moment: (at: string) => string): string {
  if (!answer) return 'not asked any more';
  const { says, reason, changes, who, at } = answer;
  const changed = Object.keys(changes ?? {}).length;
  const what =
    says === 'no'
      ? `refused${reason ? ` (${reason})` : ''}`
      : says === 'answers'
        ? 'answered'
        : changed > 0
          ? `approved with ${changed === 1 ? 'one change' : `${changed} changes`}`
          : 'approved';
  return `${what} by ${who}, ${moment(at)}`;
}

/** A link whose time is over, or that can't be read. */
export const closedPage = (state: 'late' | 'unknown', business: string): Promise<string> =>
  publicPage({
    business,
    title:
      state === 'late'
        ? 'The time of this link is over. Where it is still asked, a newer mail has come or comes.'
        : unreadableLink,
    body: '',
  });
