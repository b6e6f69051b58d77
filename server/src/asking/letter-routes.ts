import { keyOf, momentText, type Value } from '@golden/core';
import type { Context, Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { getCookie, setCookie } from 'hono/cookie';
import type { Services } from '../services.ts';
import { loadSettings } from '../settings.ts';
import type { GivenAnswer } from './answer.ts';
import type { OpenAsk } from './asks.ts';
import type { LetterLook } from './letter-access.ts';
import { answeredPage, closedPage, codePage, reviewPage, type Typed } from './letter-page.ts';
import { nameOfAsk } from './letters.ts';

/** The most bytes of answers. */
const mostBytes = 2 * 1024 * 1024;

type LetterServices = Pick<
  Services,
  'db' | 'letterAccess' | 'answers' | 'workflows' | 'seams' | 'publicAddress' | 'connections'
>;

type Form = Readonly<Record<string, string | string[]>>;

/** The pages on which whoever was written to answers, at the links of their mails. */
export function addLetterRoutes(app: Hono, services: LetterServices): void {
  app.on(['GET', 'POST'], '/ask/:letter/:mark', bodyLimit({ maxSize: mostBytes }), async (c) => {
    const look = await lookAt(services, c);
    if (c.req.method !== 'POST') return shown(services, c, look);
    const form = await formOf(c);
    if (look.state === 'code') return withCode(services, c, look, form);
    if (look.state !== 'open') return shown(services, c, look);
    const given = answersIn(look.asks, await answeredIn(services, look, form), form);
    const results = await services.answers.take(given, look.letter.address);
    const typed: Typed = {
      values: form,
      results: new Map(given.map(({ itemId }, at) => [itemId, results[at] ?? { state: 'over' }])),
    };
    const after = await lookAt(services, c);
    return shown(
      services,
      c,
      after,
      after.state === 'open' ? { ...typed, values: renumbered(look.asks, after.asks, form) } : typed,
    );
  });
}

const sessionCookie = 'golden-ask';

const lookAt = ({ letterAccess }: LetterServices, c: Context): Promise<LetterLook> =>
  letterAccess.look(c.req.param('letter') ?? '', c.req.param('mark') ?? '', getCookie(c, sessionCookie));

async function shown(services: LetterServices, c: Context, look: LetterLook, typed?: Typed): Promise<Response> {
  const { db, workflows } = services;
  const { workspace: business, zone } = await loadSettings(db);
  const moment = (at: string): string => momentText(at, zone);
  switch (look.state) {
    case 'unknown':
    case 'late':
      return c.html(await closedPage(look.state, business), look.state === 'unknown' ? 404 : 410);
    case 'done':
      return c.html(await answeredPage(look.answers, { business, moment }));
    case 'code':
      return c.html(await codePage(look, business, undefined));
    case 'open': {
      const { workflow } = await nameOfAsk(workflows, look.letter.workflow_id, look.letter.step);
      const until = moment(look.letter.expires_at);
      return c.html(await reviewPage(look, { business, workflow, until }, typed));
    }
  }
}

async function withCode(
  services: LetterServices,
  c: Context,
  look: Extract<LetterLook, { state: 'code' }>,
  form: Form,
): Promise<Response> {
  const { letterAccess, publicAddress, connections, db } = services;
  const { workspace } = await loadSettings(db);
  if (form['do'] === 'send') {
    let why: string | undefined;
    try {
      why = await letterAccess.sendCode(look.letter);
    } catch (error) {
      why = `The code could not be sent: ${connections.masked(error instanceof Error ? error.message : String(error))}`;
    }
    const after = await lookAt(services, c);
    return after.state === 'code' ? c.html(await codePage(after, workspace, why)) : shown(services, c, after);
  }
  const entered = await letterAccess.enter(look.letter, typeof form['code'] === 'string' ? form['code'] : '');
  if ('why' in entered) return c.html(await codePage(look, workspace, entered.why), 403);
  setCookie(c, sessionCookie, entered.session, {
    path: `/ask/${look.letter.id}`,
    httpOnly: true,
    sameSite: 'Strict',
    secure: (await publicAddress.address()) !== '',
    maxAge: 2 * 60 * 60,
  });
  // Loaded anew, so that loading it once more sends no code again.
  return c.redirect(c.req.path, 303);
}

async function formOf(c: Context): Promise<Form> {
  const body = await c.req.parseBody({ all: true }).catch(() => ({}));
  return Object.fromEntries(
    Object.entries(body as Record<string, unknown>).map(([name, value]) => [
      name,
      Array.isArray(value) ? value.filter((one): one is string => typeof one === 'string') : String(value),
    ]),
  );
}

const textAt = (form: Form, name: string): string => {
  const value = form[name];
  return typeof value === 'string' ? value : (value?.at(-1) ?? '');
};

/** What stood on the page and has been answered by somebody else since: they are told so. */
async function answeredIn(
  { db }: LetterServices,
  { letter, asks }: Extract<LetterLook, { state: 'open' }>,
  form: Form,
): Promise<ReadonlySet<string>> {
  const open = new Set(asks.map(({ itemId }) => itemId));
  const gone = Object.keys(form)
    .filter((name) => name.startsWith('i.'))
    .map((name) => textAt(form, name).split(' ')[0] ?? '')
    .filter((id) => !open.has(id));
  if (gone.length === 0) return new Set();
  const rows = await db
    .selectFrom('ask_letter_item')
    .select('item_id')
    .where('letter_id', '=', letter.id)
    .where('item_id', 'in', gone)
    .execute();
  return new Set(rows.map(({ item_id }) => item_id));
}

/** The answers in a form, to what was seen by its sender; what isn't answered yet is left out. */
function answersIn(asks: readonly OpenAsk[], answered: ReadonlySet<string>, form: Form): GivenAnswer[] {
  const given: GivenAnswer[] = [];
  for (let at = 0; form[`i.${at}`] !== undefined; at++) {
    const [itemId = '', print = ''] = textAt(form, `i.${at}`).split(' ');
    const ask = asks.find((one) => one.itemId === itemId);
    // What its letter isn't about is nothing that its reader may answer.
    const says = ask ? saidIn(ask, at, form) : answered.has(itemId) ? nothingNew : undefined;
    if (says) given.push({ itemId, print, says });
  }
  return given;
}

/** For what somebody else has answered: it only finds that out. */
const nothingNew: GivenAnswer['says'] = { kind: 'yes', changes: {} };

function saidIn(ask: OpenAsk, at: number, form: Form): GivenAnswer['says'] | undefined {
  const { what } = ask.asked;
  if (what.kind === 'questions') {
    const answers = what.questions.flatMap((question): [string, Value][] => {
      const value = form[`q.${at}.${keyOf(question)}`];
      return value === undefined ? [] : [[keyOf(question), value]];
    });
    return { kind: 'answers', answers: Object.fromEntries(answers) };
  }
  const all = textAt(form, 'all');
  const verdict = all === '' ? textAt(form, `v.${at}`) : all;
  if (verdict === 'yes') return { kind: 'yes', changes: changesIn(ask, at, form) };
  if (verdict !== 'no') return undefined;
  const reason = textAt(form, `r.${at}`).trim() || (all === 'no' ? textAt(form, 'r.all').trim() : '');
  return { kind: 'no', reason };
}

function changesIn({ asked }: OpenAsk, at: number, form: Form): Record<string, Value> {
  if (asked.what.kind !== 'approval') return {};
  return Object.fromEntries(
    asked.what.shown.fields.flatMap(({ path, canChange }, number) => {
      const name = `c.${at}.${number}`;
      if (!canChange || form[name] === undefined) return [];
      // Browsers send lines with a carriage return.
      return [[path, textAt(form, name).replace(/\r\n/g, '\n')]];
    }),
  );
}

/** What was typed beside each record that is still open, under the number that it has on the next page. */
function renumbered(before: readonly OpenAsk[], after: readonly OpenAsk[], form: Form): Form {
  const next: Record<string, string | string[]> = {};
  const moved = new Map(
    after.map(({ itemId }, to): [number, number] => [before.findIndex((one) => one.itemId === itemId), to]),
  );
  for (const [name, value] of Object.entries(form)) {
    const [, kind = '', at = '', rest = ''] = /^([cvrq])\.(\d+)(\..*)?$/.exec(name) ?? [];
    const to = kind === '' ? undefined : moved.get(Number(at));
    if (to !== undefined) next[`${kind}.${to}${rest}`] = value;
  }
  return next;
}
