import { keyOf, type Question } from '@golden/core';
import { html } from 'hono/html';
import type { Html } from '../doors/public-page.ts';

/** What stands in a question's input. */
export type FieldAnswer = string | readonly string[];

interface Problem {
  readonly path: string;
  readonly message: string;
}

/**
 * Questions as the inputs of a page, each with its help and what is wrong with its answer. Types, names and hints are
 * those of the HTML standard, so that phones bring up the right keys and fill in what they know.
 *
 * @param prefix - before each input's name
 */
export const questionFields = (
  questions: readonly Question[],
  prefix: string,
  answers: Readonly<Record<string, FieldAnswer>>,
  problems: readonly Problem[],
): Html =>
  html`${questions.map((question) => {
    const key = keyOf(question);
    return questionField(question, `${prefix}${key}`, answers[key], problems.find(({ path }) => path === key)?.message);
  })}`;

function questionField(
  question: Question,
  name: string,
  answer: FieldAnswer | undefined,
  problem: string | undefined,
): Html {
  const { label, help, isRequired, type, options = [] } = question;
  const said = html`${label}${isRequired ? html` <span class="soft">(required)</span>` : ''}`;
  const described = [help ? `${name}-help` : '', problem === undefined ? '' : `${name}-problem`]
    .filter(Boolean)
    .join(' ');
  const marks = html`${described === '' ? '' : html` aria-describedby="${described}"`}${problem === undefined ? '' : html` aria-invalid="true"`}${isRequired ? html` aria-required="true"` : ''}`;
  const below = html`${help ? html`<p class="help" id="${name}-help">${help}</p>` : ''}`;
  const wrong = problem === undefined ? '' : html`<p class="bad" id="${name}-problem">${problem}</p>`;
  const chosen = new Set(typeof answer === 'string' ? [answer] : (answer ?? []));
  if (type === 'choices' || (type === 'choice' && options.length <= 6))
    // A group has no value of its own that could be required or wrong: its legend and its description say so.
    return html`<fieldset class="question" id="${name}" tabindex="-1"${described === '' ? '' : html` aria-describedby="${described}"`}><legend>${said}</legend>${below}${options.map(
      (option) =>
        html`<label class="choice"><input type="${type === 'choice' ? 'radio' : 'checkbox'}" name="${name}" value="${option}"${chosen.has(option) ? ' checked' : ''}> ${option}</label>`,
    )}${wrong}</fieldset>`;
  if (type === 'boolean')
    return html`<div class="question"><label class="choice"><input type="checkbox" id="${name}" name="${name}" value="true"${chosen.has('true') ? ' checked' : ''}${marks}> <span>${said}</span></label>${below}${wrong}</div>`;
  const value = typeof answer === 'string' ? answer : '';
  return html`<div class="question"><label for="${name}">${said}</label>${below}${inputOf(question, name, value, marks)}${wrong}</div>`;
}

function inputOf({ type, options = [] }: Question, name: string, value: string, marks: Html): Html {
  switch (type) {
    case 'long_text':
      return html`<textarea id="${name}" name="${name}" rows="5" maxlength="10000"${marks}>
${value}</textarea>`;
    case 'choice':
      return html`<select id="${name}" name="${name}"${marks}><option value=""></option>${options.map(
        (option) => html`<option${option === value ? ' selected' : ''}>${option}</option>`,
      )}</select>`;
    case 'file':
      return html`<input type="file" id="${name}" name="${name}"${marks}>`;
    case 'date':
      return html`<input type="date" id="${name}" name="${name}" value="${value}"${marks}>`;
    case 'email':
      return html`<input type="email" autocomplete="email" id="${name}" name="${name}" value="${value}"${marks}>`;
    case 'phone':
      return html`<input type="tel" autocomplete="tel" id="${name}" name="${name}" value="${value}"${marks}>`;
    case 'integer':
      return html`<input inputmode="numeric" id="${name}" name="${name}" value="${value}"${marks}>`;
    case 'decimal':
      return html`<input inputmode="decimal" id="${name}" name="${name}" value="${value}"${marks}>`;
    default:
      return html`<input type="text" maxlength="1000" id="${name}" name="${name}" value="${value}"${marks}>`;
  }
}
