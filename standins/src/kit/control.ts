import { Hono } from 'hono';
import { z } from 'zod';
import { calm, type PracticeState, troubleKinds } from './trouble.ts';

const TroubleSchema = z.object({ kind: z.enum(troubleKinds), times: z.int().min(0).nullable() });

/** The control page's interface of a practice app: what was counted, and which trouble is on. */
export function controlApp(state: PracticeState): Hono {
  const app = new Hono();
  app.get('/state', (c) =>
    c.json({
      writes: state.writes,
      requests: state.requests,
      account: state.account,
      troubles: [...state.troubles].map(([kind, left]) => ({ kind, times: Number.isFinite(left) ? left : null })),
    }),
  );
  app.post('/trouble', async (c) => {
    const body = c.req.header('content-type')?.includes('json')
      ? await c.req.json()
      : await c.req
          .parseBody()
          .then((form) => ({ kind: form['kind'], times: form['times'] === 'on' ? null : Number(form['times']) }));
    const read = TroubleSchema.safeParse(body);
    if (!read.success)
      return c.json({ title: 'Unknown trouble', detail: `Choose one of ${troubleKinds.join(', ')}.` }, 400);
    const { kind, times } = read.data;
    if (times === 0) state.troubles.delete(kind);
    else state.troubles.set(kind, times ?? Number.POSITIVE_INFINITY);
    return c.req.header('accept')?.includes('text/html') ? c.redirect('/practice') : c.json({ ok: true });
  });
  // Whoever is signed in is in another account from now on, as when a business changes its plan or its books.
  app.post('/account', async (c) => {
    const read = z.object({ account: z.string().min(1) }).safeParse(await c.req.json().catch(() => undefined));
    if (!read.success) return c.json({ title: 'Not accepted', detail: 'Give the id of an account.' }, 400);
    state.account = read.data.account;
    return c.json({ ok: true });
  });
  app.post('/calm', (c) => {
    Object.assign(state, { ...calm(state.account), troubles: state.troubles });
    state.troubles.clear();
    return c.json({ ok: true });
  });
  return app;
}
