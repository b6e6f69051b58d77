import { keyOf, type Question, readAnswers, type Value } from '@golden/core';
import type { Context, Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { RateLimiterMemory } from 'rate-limiter-flexible';
import type { FieldAnswer } from '../asking/question-fields.ts';
import { taken } from '../doors/limits.ts';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import { closedFormPage, type FormPage, formPage, scriptDigest, thanksPage, trapName } from './form-page.ts';
import type { Form, FormFile } from './forms.ts';
import type { FormSetting } from './setting.ts';

/** The most bytes of one submission, and of one file in it. */
const [mostBytes, mostOfFile] = [30 * 1024 * 1024, 10 * 1024 * 1024];

type FormServices = Pick<Services, 'db' | 'forms' | 'refusals' | 'seams'>;

/** How much one address may send in ten minutes, and all of them to one form: a person sends one, an office some. */
const [perSender, perForm, seconds] = [20, 600, 600];

/** Counts what is sent to forms, in the memory of this process. */
export class FormLimits {
  private readonly senders: RateLimiterMemory;
  private readonly forms: RateLimiterMemory;

  /** @param times - how many times as much as usual may come */
  constructor(times = 1) {
    this.senders = new RateLimiterMemory({ points: perSender * times, duration: seconds });
    this.forms = new RateLimiterMemory({ points: perForm * times, duration: seconds });
  }

  /** Seconds to wait where somebody has sent too much; undefined where it may come in. */
  async wait(from: string, form: string): Promise<number | undefined> {
    // Whoever sends too much uses nothing up of what others may send.
    return (await taken(this.senders, `${form} ${from}`)) ?? (await taken(this.forms, form));
  }
}

/** What a submission brings: texts, and files. */
type Sent = Readonly<Record<string, string | File | (string | File)[]>>;

/**
 * The pages of forms, and the files that came with them.
 *
 * @param fromOf - where a request came from, behind proxies too
 */
export function addFormRoutes(
  app: Hono,
  services: FormServices,
  fromOf: (c: Context) => Promise<string>,
  limits = new FormLimits(),
): void {
  const { db, forms, refusals, seams } = services;
  const businessName = async (): Promise<string> => (await loadSettings(db)).workspace;
  const closed = async (c: Context, status: 404 | 410 | 413 | 429, text: string): Promise<Response> =>
    c.html(await closedFormPage(text, await businessName()), status);

  app.use('/form/*', async (c, next) => {
    c.header('cache-control', 'no-store');
    c.header('referrer-policy', 'no-referrer');
    c.header(
      'content-security-policy',
      `default-src 'none'; style-src 'unsafe-inline'; script-src '${scriptDigest}'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'`,
    );
    return next();
  });

  app.get('/form/:address', async (c) => {
    const form = await forms.at(c.req.param('address'));
    if (form === undefined) return closed(c, 404, 'There is no such form: its address may be cut off or mistyped.');
    if (form === 'past') return closed(c, 410, 'This form is closed. Ask whoever sent it to you for the new one.');
    const business = await businessName();
    if (c.req.query('sent') !== undefined) return c.html(await thanksPage(form.setting, business));
    return c.html(await formPage(emptyPage(form, business, seams.id())));
  });

  app.post(
    '/form/:address',
    async (c, next) => {
      const wait = await limits.wait(await fromOf(c), c.req.param('address'));
      if (wait === undefined) return next();
      c.header('retry-after', String(wait));
      return closed(c, 429, `Too much has come from you. Try again in ${Math.ceil(wait / 60)} minutes.`);
    },
    bodyLimit({
      maxSize: mostBytes,
      onError: (c) => closed(c, 413, 'That is more than 30 MB together. Go back, and send smaller files.'),
    }),
    async (c) => {
      const address = c.req.param('address');
      const form = await forms.at(address);
      if (form === undefined) return closed(c, 404, 'There is no such form: its address may be cut off or mistyped.');
      if (form === 'past') return closed(c, 410, 'This form is closed. Ask whoever sent it to you for the new one.');
      const sent = (await c.req.parseBody({ all: true }).catch(() => ({}))) as Sent;
      if (textIn(sent, trapName) !== '') {
        await refusals.keep({
          inbox_id: form.inbox,
          at: seams.now(),
          status: 400,
          reason: 'A robot: it filled in what people don’t see.',
          came_from: await fromOf(c),
          method: 'POST',
          media_type: c.req.header('content-type') ?? '',
          headers: '{}',
          size: Number(c.req.header('content-length') ?? 0),
          body: null,
        });
        // It is told what everybody is told: it learns nothing.
        return c.redirect(`/form/${address}?sent`, 303);
      }
      const page = await takeIn(services, form, sent);
      if (!page) return c.redirect(`/form/${address}?sent`, 303);
      return c.html(await formPage(page), 422);
    },
  );

  app.get('/file/:id/:mark/:name', async (c) => {
    const { id, mark } = c.req.param();
    const file = await forms.file(id, mark);
    if (!file) return closed(c, 404, 'There is no such file: its link may be cut off.');
    // It is never shown as a page of ours, whatever it says that it is.
    c.header('content-disposition', `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`);
    c.header('content-security-policy', "default-src 'none'; sandbox");
    c.header('x-content-type-options', 'nosniff');
    c.header('cache-control', 'private, no-store');
    c.header('content-type', 'application/octet-stream');
    return c.body(new Uint8Array(await forms.content(file)));
  });
}

const emptyPage = ({ setting, version }: Form, business: string, key: string): FormPage => ({
  setting,
  version,
  business,
  key,
  answers: {},
  problems: [],
  kept: {},
});

/** Takes a submission in; gives the page with what is wrong with it, undefined where it came in. */
async function takeIn(services: FormServices, form: Form, sent: Sent): Promise<FormPage | undefined> {
  const { forms, seams, db } = services;
  // Whoever opened the page before it was changed answers what they were asked.
  const number = Number(textIn(sent, 'v'));
  const setting = (await forms.versionOf(form.inbox, number)) ?? form.setting;
  const version = setting === form.setting ? form.version : number;
  const { workspace, country, zone } = await loadSettings(db);
  const { files, problems: unfit } = await filesIn(services, form.inbox, setting, sent);
  const answers: Record<string, FieldAnswer> = {};
  const given: Record<string, Value> = {};
  for (const question of setting.questions) {
    const key = keyOf(question);
    const file = files.get(key);
    if (file) given[key] = { name: file.name, link: await forms.linkOfFile(file), size: file.size };
    if (question.type === 'file') continue;
    const value = answerIn(sent, question);
    answers[key] = value;
    given[key] = typeof value === 'string' ? value : [...value];
  }
  const read = readAnswers(setting.questions, given, { country, zone });
  const problems = [
    ...unfit,
    ...(read.ok ? [] : read.problems)
      .map(({ key, label, message }) => ({ path: key, label, message }))
      .filter(({ path }) => !unfit.some((one) => one.path === path)),
  ];
  const key = textIn(sent, 'k').slice(0, 100) || seams.id();
  if (read.ok && problems.length === 0) {
    await forms.take({ inbox: form.inbox, version, key, record: read.record });
    return undefined;
  }
  const kept = Object.fromEntries(
    [...files].map(([question, file]) => [
      question,
      { name: file.name, token: `${file.id} ${forms.markOfFile(file.id)}` },
    ]),
  );
  return { setting, version, business: workspace, key, answers, problems, kept };
}

/** The files of a submission: those that came now, and those that came with it before something else was wrong. */
async function filesIn(
  { forms }: FormServices,
  inbox: string,
  { questions }: FormSetting,
  sent: Sent,
): Promise<{ readonly files: Map<string, FormFile>; readonly problems: FormPage['problems'] }> {
  const files = new Map<string, FormFile>();
  const problems: { path: string; label: string; message: string }[] = [];
  for (const question of questions.filter(({ type }) => type === 'file')) {
    const key = keyOf(question);
    const given = [sent[`a.${key}`]].flat().find((one): one is File => one instanceof File && one.size > 0);
    if (given && given.size > mostOfFile) {
      problems.push({ path: key, label: question.label, message: `“${given.name}” is larger than 10 MB.` });
      continue;
    }
    if (given) {
      const bytes = new Uint8Array(await given.arrayBuffer());
      const name = safeName(given.name);
      files.set(key, await forms.keepFile(inbox, { name, mediaType: given.type, bytes }));
      continue;
    }
    const [id = '', mark = ''] = textIn(sent, `f.${key}`).split(' ');
    const before = id === '' ? undefined : await forms.file(id, mark);
    if (before?.inbox_id === inbox) files.set(key, before);
  }
  return { files, problems };
}

/** A file's name without a path, and without what a disk or a header takes for something else. */
const safeName = (name: string): string =>
  name
    .replace(/^.*[\\/]/, '')
    // biome-ignore lint/suspicious/noControlCharactersInRegex: those are what is taken out
    .replace(/[\u0000-\u001f\u007f"<>:|?*]/g, '_')
    .slice(0, 200) || 'file';

function answerIn(sent: Sent, question: Question): FieldAnswer {
  const value = sent[`a.${keyOf(question)}`];
  if (question.type === 'choices') return [value ?? []].flat().filter((one): one is string => typeof one === 'string');
  return textIn(sent, `a.${keyOf(question)}`).replace(/\r\n/g, '\n');
}

function textIn(sent: Sent, name: string): string {
  const value = [sent[name]].flat().at(-1);
  return typeof value === 'string' ? value : '';
}
