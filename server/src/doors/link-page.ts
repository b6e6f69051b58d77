import type { WaitLinkKind } from '@golden/core';
import { partly, type UnsubscribeState } from '../consent/unsubscribe-link.ts';
import type { LinkState } from '../engine/wait-links.ts';

// The pages behind the links of mails. They need no script and load nothing, so that any browser and any reader shows them.

const escaped = (text: string): string => text.replace(/[&<>"']/g, (one) => `&#${one.charCodeAt(0)};`);

const asks: Record<WaitLinkKind, { readonly title: string; readonly text: string; readonly button: string }> = {
  stop: {
    title: 'Stop these messages?',
    text: 'Nothing more of this series will be sent to you.',
    button: 'Stop them',
  },
  continue: {
    title: 'Go on now?',
    text: 'What would come later comes now.',
    button: 'Go on',
  },
};

const answers: Record<WaitLinkKind, string> = {
  stop: 'Done. Nothing more of this series will be sent to you.',
  continue: 'Done. It goes on now.',
};

const others: Record<Exclude<LinkState, 'open'>, string> = {
  used: 'This link was used already.',
  over: 'There is nothing left to do: this has ended already.',
  unknown: 'This link can’t be read: it may be cut off. Open it from the mail once more.',
};

const unsubscribed: Record<UnsubscribeState['state'], string> = {
  open: '',
  done: 'Done. No more news goes to',
  nothing: 'Nothing is sent by this link: it comes from a trial, or from a mail that hasn’t gone out.',
  unknown: others.unknown,
};

/** What a recipient of news sees: opening it changes nothing. */
export function unsubscribePage({ state, contacts }: UnsubscribeState, business: string): string {
  const whom = contacts.map(partly).join(', ');
  if (state !== 'open')
    return page(business, state === 'done' ? `${unsubscribed.done} ${whom}.` : unsubscribed[state], '');
  const text = `${whom} gets no more news. Mails about an order, an invoice or an answer still come.`;
  return page(
    business,
    'Unsubscribe from news?',
    `<p>${escaped(text)}</p><form method="post"><button type="submit">Unsubscribe</button></form>`,
  );
}

/** What stands behind a link before it is used: opening it changes nothing, since mail programs open links by themselves. */
export const askPage = (kind: WaitLinkKind, business: string): string => {
  const { title, text, button } = asks[kind];
  return page(
    business,
    title,
    `<p>${escaped(text)}</p><form method="post"><button type="submit">${escaped(button)}</button></form>`,
  );
};

/** What a link came to. */
export function donePage(kind: WaitLinkKind, state: LinkState, business: string): string {
  const text = state === 'open' ? answers[kind] : others[state];
  return page(business, text, '');
}

const page = (business: string, title: string, body: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<title>${escaped(title)}</title>
<style>
  :root { color-scheme: light dark; }
  body { font: 1.1rem/1.5 system-ui, sans-serif; max-width: 32rem; margin: 12vh auto; padding: 0 1.25rem; }
  h1 { font-size: 1.4rem; }
  button { font: inherit; padding: 0.6rem 1.4rem; border-radius: 6px; border: 1px solid #0f5b50; background: #0f5b50; color: #fff; cursor: pointer; }
  button:focus-visible { outline: 3px solid #c98f1e; outline-offset: 2px; }
</style>
</head>
<body><main>
${business === '' ? '' : `<p>${escaped(business)}</p>`}
<h1>${escaped(title)}</h1>
${body}
</main></body>
</html>
`;
