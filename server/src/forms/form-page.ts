import { createHash } from 'node:crypto';
import { html } from 'hono/html';
import { type FieldAnswer, questionFields } from '../asking/question-fields.ts';
import { publicPage } from '../doors/public-page.ts';
import type { FormSetting } from './setting.ts';

// The page of a form. It works without a script; with one, what is half filled in survives a reload.

/** The input that people don't see: what fills it in is a robot. */
export const trapName = 'website';

export interface FormPage {
  readonly setting: FormSetting;
  readonly version: number;
  readonly business: string;
  /** What makes a second sending of the same page a repeat. */
  readonly key: string;
  readonly answers: Readonly<Record<string, FieldAnswer>>;
  readonly problems: readonly { readonly path: string; readonly label: string; readonly message: string }[];
  /** Files that came before something else was wrong, by question. */
  readonly kept: Readonly<Record<string, { readonly name: string; readonly token: string }>>;
}

/** Keeps what is typed in the browser until it was sent; files can't be kept there. Nothing of it leaves the browser. */
const keepingScript = `
(() => {
  const form = document.querySelector('form');
  const name = 'form ' + location.pathname;
  const saved = () => { try { return JSON.parse(localStorage.getItem(name) || '{}'); } catch { return {}; } };
  if (!form) { try { localStorage.removeItem(name); } catch {} return; }
  const inputs = [...form.elements].filter((one) => one.name && one.name.startsWith('a.') && one.type !== 'file');
  if (form.dataset.fresh === 'yes') {
    const before = saved();
    for (const one of inputs) {
      const value = before[one.name];
      if (value === undefined) continue;
      if (one.type === 'radio' || one.type === 'checkbox') one.checked = value.includes(one.value);
      else one.value = value;
    }
  }
  const keep = () => {
    const next = {};
    for (const one of inputs) {
      if (one.type === 'radio' || one.type === 'checkbox') {
        next[one.name] = next[one.name] || [];
        if (one.checked) next[one.name].push(one.value);
      } else next[one.name] = one.value;
    }
    try { localStorage.setItem(name, JSON.stringify(next)); } catch {}
  };
  form.addEventListener('input', keep);
  keep();
  form.addEventListener('submit', () => { for (const one of form.querySelectorAll('button')) setTimeout(() => { one.disabled = true; }, 0); });
  addEventListener('pageshow', () => { for (const one of form.querySelectorAll('button')) one.disabled = false; });
})();
`;

/** By this digest the page's policy allows its script and no other (CSP level 3, section 2.3.1). */
export const scriptDigest = `sha256-${createHash('sha256').update(keepingScript).digest('base64')}`;

/** The form to be filled in, with what was typed and what is wrong with it. */
export function formPage({ setting, version, business, key, answers, problems, kept }: FormPage): Promise<string> {
  const { title, before, after, questions, button, colour } = setting;
  const hasFile = questions.some(({ type }) => type === 'file');
  const body = html`
${before === '' ? '' : html`<p class="words">${before}</p>`}
${
  problems.length === 0
    ? ''
    : html`<div class="note" role="alert"><p class="bad">It wasn’t sent yet:</p><ul>${problems.map(
        ({ path, label, message }) => html`<li><a href="#a.${path}">${label}</a>: ${message}</li>`,
      )}</ul></div>`
}
<form method="post"${hasFile ? html` enctype="multipart/form-data"` : ''} data-fresh="${problems.length === 0 && Object.keys(answers).length === 0 ? 'yes' : 'no'}">
<input type="hidden" name="v" value="${version}"><input type="hidden" name="k" value="${key}">
${Object.entries(kept).map(
  ([question, { name, token }]) =>
    html`<input type="hidden" name="f.${question}" value="${token}"><p class="note">“${name}” is kept: it needn’t be chosen again.</p>`,
)}
<div class="hp" aria-hidden="true"><label for="${trapName}">Leave this empty</label><input id="${trapName}" name="${trapName}" tabindex="-1" autocomplete="off"></div>
${questionFields(questions, 'a.', answers, problems)}
${after === '' ? '' : html`<p class="words">${after}</p>`}
<div class="buttons"><button type="submit">${button}</button></div>
</form>`;
  return publicPage({ business, title, body, colour, script: keepingScript });
}

/** What is said once it was sent. */
export const thanksPage = ({ thanks, title, colour }: FormSetting, business: string): Promise<string> =>
  publicPage({
    business,
    title,
    body: html`<p class="words" role="status">${thanks}</p><p><a href="?">Fill it in once more</a></p>`,
    colour,
    script: keepingScript,
  });

/** What is said where there is no form any more, or too much came. */
export const closedFormPage = (text: string, business: string): Promise<string> =>
  publicPage({ business, title: text, body: '' });
