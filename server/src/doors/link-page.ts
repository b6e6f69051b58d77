import type { WaitLinkKind } from '@golden/core';
import { html } from 'hono/html';
import { partly, type UnsubscribeState } from '../consent/unsubscribe-link.ts';
import type { LinkState } from '../engine/wait-links.ts';
import { publicPage } from './public-page.ts';

// The pages behind the links of mails.

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

/** What is said of a link that can’t be read. */
export const unreadableLink = 'This link can’t be read: it may be cut off. Open it from the mail once more.';

const others: Record<Exclude<LinkState, 'open'>, string> = {
  used: 'This link was used already.',
  over: 'There is nothing left to do: this has ended already.',
  unknown: unreadableLink,
};

const unsubscribed: Record<UnsubscribeState['state'], string> = {
  open: '',
  done: 'Done. No more news goes to',
  nothing: 'Nothing is sent by this link: it comes from a trial, or from a mail that hasn’t gone out.',
  unknown: unreadableLink,
};

/** What a recipient of news sees: opening it changes nothing. */
export function unsubscribePage({ state, contacts }: UnsubscribeState, business: string): Promise<string> {
  const whom = contacts.map(partly).join(', ');
  if (state !== 'open')
    return publicPage({
      business,
      title: state === 'done' ? `${unsubscribed.done} ${whom}.` : unsubscribed[state],
      body: '',
    });
  const text = `${whom} gets no more news. Mails about an order, an invoice or an answer still come.`;
  return publicPage({ business, title: 'Unsubscribe from news?', body: pressed(text, 'Unsubscribe') });
}

const pressed = (text: string, button: string) =>
  html`<p>${text}</p><form method="post"><button type="submit">${button}</button></form>`;

/** What stands behind a link before it is used: opening it changes nothing, since mail programs open links by themselves. */
export function askPage(kind: WaitLinkKind, business: string): Promise<string> {
  const { title, text, button } = asks[kind];
  return publicPage({ business, title, body: pressed(text, button) });
}

/** What a link came to. */
export const donePage = (kind: WaitLinkKind, state: LinkState, business: string): Promise<string> =>
  publicPage({ business, title: state === 'open' ? answers[kind] : others[state], body: '' });
