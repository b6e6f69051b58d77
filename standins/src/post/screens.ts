import { randomUUID } from 'node:crypto';
import { Hono } from 'hono';
import { html } from 'hono/html';
import { simpleParser } from 'mailparser';
import { type Html, page, practicePage, type Skin } from '../kit/page.ts';
import { tokensForm } from '../kit/sign-in.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { Delivery } from './delivery.ts';
import type { ImapHouse } from './imap.ts';
import type { Forwarding, Mailbox, PostStore } from './store.ts';

export const postSkin: Skin = {
  title: 'Post room',
  accent: '#5b3f6b',
  links: [
    { href: '/', text: 'Mailboxes' },
    { href: '/practice', text: 'Access keys and faults' },
  ],
};

/** Where the servers of the Post room are. */
export interface PostAddresses {
  imap: string;
  smtp: string;
}

interface Parts {
  readonly store: PostStore;
  readonly imap: ImapHouse;
  readonly delivery: Delivery;
  readonly state: PracticeState;
  readonly addresses: PostAddresses;
}

const show = (title: string, body: Html): Html => page(postSkin, title, body);
const folderLink = (address: string, folder: string): string =>
  `/mailboxes/${encodeURIComponent(address)}/${encodeURIComponent(folder)}`;

/** The Post room's own screens: mailboxes with their folders, a mail, and a sheet to write one. */
export function postScreens(parts: Parts): Hono {
  const { store, imap, delivery, state, addresses } = parts;
  const app = new Hono();
  const missing = (): Html => show('Not found', html`<p>There is no such mailbox or mail.</p>`);
  app.get('/', (c) => c.html(show('Mailboxes', overview(parts))));
  app.post('/mailboxes', async (c) => {
    const body = await c.req.parseBody();
    const address = String(body['address'] ?? '')
      .trim()
      .toLowerCase();
    if (!/^[^\s@]+@[^\s@]+\.example$/.test(address) || store.mailbox(address))
      return c.html(
        show('Mailboxes', overview(parts, 'A mailbox needs an address of its own that ends in .example.')),
        400,
      );
    const mailbox: Mailbox = { address, name: String(body['name'] ?? '').trim(), password: 'practice', away: '' };
    store.addMailbox(mailbox);
    imap.open(mailbox);
    return c.redirect(folderLink(address, 'INBOX'));
  });
  app.post('/mailboxes/:address/away', async (c) => {
    const address = c.req.param('address');
    store.setAway(address, String((await c.req.parseBody())['away'] ?? '').trim());
    return c.redirect(folderLink(address, 'INBOX'));
  });
  app.post('/mailboxes/:address/forwarding', async (c) => {
    const address = c.req.param('address');
    const body = await c.req.parseBody();
    const target = String(body['target'] ?? '').trim();
    if (body['on'] !== undefined) store.switchForwarding(address, body['on'] === 'yes');
    else if (/^[^\s@]+@[^\s@]+$/.test(target) && store.mailbox(address)) {
      const code = randomUUID();
      store.askForForwarding(address, target.toLowerCase(), code);
      await delivery.askForForwarding(address, target, `${new URL(c.req.url).origin}/forwarding/${code}`);
    }
    return c.redirect(folderLink(address, 'INBOX'));
  });
  // To look at the page changes nothing: programs that check the links of mails open it too.
  app.get('/forwarding/:code', (c) => {
    const asked = store.forwardingBy(c.req.param('code'));
    return asked ? c.html(show('Forwarding', confirmSheet(asked))) : c.html(missing(), 404);
  });
  app.post('/forwarding/:code', (c) => {
    store.confirmForwarding(c.req.param('code'));
    return c.redirect(`/forwarding/${c.req.param('code')}`);
  });
  app.post('/mailboxes/:address/folders', async (c) => {
    const address = c.req.param('address');
    const name = String((await c.req.parseBody())['name'] ?? '').trim();
    const isFree = !imap.foldersOf(address).some(({ path }) => path.toLowerCase() === name.toLowerCase());
    if (/^[\w &-]{1,40}$/.test(name) && isFree) imap.addFolder(address, name);
    return c.redirect(folderLink(address, 'INBOX'));
  });
  app.get('/mailboxes/:address/write', async (c) => {
    const mailbox = store.mailbox(c.req.param('address'));
    if (!mailbox) return c.html(missing(), 404);
    const { folder, uid } = c.req.query();
    const message = folder && uid ? imap.message(mailbox.address, folder, Number(uid)) : undefined;
    return c.html(show('Write a mail', await sheet(mailbox, store, message?.raw)));
  });
  app.post('/mailboxes/:address/write', async (c) => {
    const mailbox = store.mailbox(c.req.param('address'));
    if (!mailbox) return c.html(missing(), 404);
    const body = await c.req.parseBody();
    const text = (name: string): string => String(body[name] ?? '');
    const to = text('to')
      .split(/[,;]/)
      .map((one) => one.trim())
      .filter((one) => one !== '');
    const file = body['file'];
    const content = file instanceof File && file.size > 0 ? Buffer.from(await file.arrayBuffer()) : undefined;
    if (to.length === 0)
      return c.html(show('Write a mail', await sheet(mailbox, store, undefined, 'Say to whom it goes.')), 400);
    await delivery.write({
      from: mailbox.name ? `${mailbox.name} <${mailbox.address}>` : mailbox.address,
      to,
      subject: text('subject'),
      text: text('text').replace(/\r\n/g, '\n'),
      ...(text('inReplyTo') !== '' && { inReplyTo: text('inReplyTo'), references: text('references') }),
      ...(content && file instanceof File && { attachments: [{ filename: file.name, content }] }),
    });
    return c.redirect(folderLink(mailbox.address, 'Sent'));
  });
  app.get('/mailboxes/:address/mail/:id', (c) => {
    const { address, id } = c.req.param();
    const head = `message-id: ${id}`.toLowerCase();
    for (const { path, messages } of imap.foldersOf(address))
      for (const { uid, raw } of messages)
        if (raw.slice(0, 20_000).toLowerCase().includes(head)) return c.redirect(`${folderLink(address, path)}/${uid}`);
    return c.html(missing(), 404);
  });
  app.get('/mailboxes/:address/:folder', async (c) => {
    const mailbox = store.mailbox(c.req.param('address'));
    const folder = c.req.param('folder');
    if (!mailbox) return c.html(missing(), 404);
    return c.html(show(`${mailbox.name || mailbox.address} · ${folder}`, await listed(parts, mailbox, folder)));
  });
  app.get('/mailboxes/:address/:folder/:uid', async (c) => {
    const { address, folder, uid } = c.req.param();
    const message = imap.message(address, folder, Number(uid));
    if (!message) return c.html(missing(), 404);
    imap.markRead(address, folder, Number(uid));
    const mail = await simpleParser(Buffer.from(message.raw, 'latin1'), { skipImageLinks: true });
    const to = Array.isArray(mail.to) ? mail.to : mail.to ? [mail.to] : [];
    return c.html(
      show(
        mail.subject ?? '(no subject)',
        html`<table>
            <tr><th>From</th><td>${mail.from?.text ?? ''}</td></tr>
            <tr><th>To</th><td>${to.map((one) => one.text).join(', ')}</td></tr>
            <tr><th>Sent on</th><td>${mail.date?.toISOString().slice(0, 16).replace('T', ' ') ?? ''}</td></tr>
            ${mail.attachments.length > 0 ? html`<tr><th>Attached</th><td>${mail.attachments.map((one) => one.filename ?? one.contentType).join(', ')}</td></tr>` : ''}
          </table>
          <pre style="white-space:pre-wrap;font:inherit;max-width:760px;padding:12px 0">${mail.text ?? ''}</pre>
          <div class="bar">
            <a href="/mailboxes/${encodeURIComponent(address)}/write?folder=${encodeURIComponent(folder)}&uid=${uid}">Answer</a>
            <a href="${folderLink(address, folder)}">Back to ${folder}</a>
          </div>
          <details><summary>As it came</summary><pre style="white-space:pre-wrap">${Buffer.from(message.raw, 'latin1').toString('utf8').slice(0, 20_000)}</pre></details>`,
      ),
    );
  });
  // Where mail programs find the servers.
  app.get('/api/servers', (c) => c.json(addresses));
  app.get('/practice', (c) => {
    const keys = store
      .mailboxes()
      .filter(({ address }) => address.endsWith('@saltmarsh.example'))
      .map(({ address, password }) => ({ name: address, key: password, rights: 'read and send' }));
    const how = `Mail programs sign in with a mailbox’s address and its password: IMAP at ${addresses.imap}, SMTP at ${addresses.smtp}.`;
    return c.html(practicePage(postSkin, state, keys, how, tokensForm));
  });
  return app;
}

function overview({ store, imap }: Parts, error?: string): Html {
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    <table>
      <tr><th>Whose</th><th>Address</th><th>Unread</th><th>Mails</th><th></th></tr>
      ${store.mailboxes().map(({ address, name, away }) => {
        const inbox = imap.foldersOf(address).find(({ path }) => path === 'INBOX')?.messages ?? [];
        const unread = inbox.filter(({ flags }) => !flags.includes('\\Seen')).length;
        return html`<tr>
          <td><a href="${folderLink(address, 'INBOX')}">${name || address}</a></td><td>${address}</td>
          <td>${unread}</td><td>${inbox.length}</td><td class="muted">${away === '' ? '' : 'away'}</td>
        </tr>`;
      })}
    </table>
    <form method="post" action="/mailboxes" class="bar" style="margin-top:20px">
      <label>Another mailbox: address <input name="address" type="email" required /></label>
      <label>whose <input name="name" /></label><button class="quiet">Add mailbox</button>
    </form>`;
}

const confirmSheet = ({ address, target, isConfirmed }: Forwarding): Html =>
  isConfirmed
    ? html`<p>Confirmed: ${address} may forward its mails to ${target}. It does so once its owner switches it on.</p>`
    : html`<p>May ${address} forward its mails to ${target}?</p><form method="post"><button>Confirm forwarding</button></form>`;

/** Where a mailbox forwards to: asked for, confirmed there, switched on here. */
function forwardingForm(store: PostStore, address: string): Html {
  const on = store.forwarding(address);
  const to = `/mailboxes/${encodeURIComponent(address)}/forwarding`;
  const said = !on ? '' : !on.isConfirmed ? 'waits for a confirmation' : on.isOn ? 'on' : 'confirmed, but off';
  return html`<form method="post" action="${to}" class="bar">
      <label>Forward to <input name="target" size="44" value="${on?.target ?? ''}" /></label>
      <button class="quiet">Ask for a confirmation</button>
      ${on ? html`<span class="muted">${said}</span>` : ''}
    </form>
    ${
      on?.isConfirmed
        ? html`<form method="post" action="${to}" class="bar">
          <input type="hidden" name="on" value="${on.isOn ? 'no' : 'yes'}" /><button class="quiet">Switch forwarding ${on.isOn ? 'off' : 'on'}</button>
        </form>`
        : ''
    }`;
}

async function listed({ imap, store }: Parts, mailbox: Mailbox, folder: string): Promise<Html> {
  const { address, away } = mailbox;
  const folders = imap.foldersOf(address);
  const messages = [...(folders.find(({ path }) => path === folder)?.messages ?? [])].reverse().slice(0, 100);
  const rows = await Promise.all(
    messages.map(async ({ uid, raw, flags }) => ({
      uid,
      isRead: flags.includes('\\Seen'),
      mail: await simpleParser(Buffer.from(raw.slice(0, 40_000), 'latin1'), { skipImageLinks: true }),
    })),
  );
  return html`<div class="bar">
      ${folders.map(({ path, messages: all }) => html`<a href="${folderLink(address, path)}">${path} (${all.length})</a>`)}
      <a href="/mailboxes/${encodeURIComponent(address)}/write">Write a mail</a>
    </div>
    <table>
      <tr><th>When</th><th>${folder === 'Sent' ? 'To' : 'From'}</th><th>Subject</th></tr>
      ${rows.map(({ uid, isRead, mail }) => {
        const to = Array.isArray(mail.to) ? mail.to[0] : mail.to;
        const subject = mail.subject || '(no subject)';
        return html`<tr>
          <td>${mail.date?.toISOString().slice(0, 16).replace('T', ' ') ?? ''}</td>
          <td>${(folder === 'Sent' ? to?.text : mail.from?.text) ?? ''}</td>
          <td><a href="${folderLink(address, folder)}/${uid}">${isRead ? subject : html`<strong>${subject}</strong>`}</a></td>
        </tr>`;
      })}
    </table>
    <form method="post" action="/mailboxes/${encodeURIComponent(address)}/away" class="bar" style="margin-top:24px">
      <label>Away note <input name="away" size="60" value="${away}" /></label><button class="quiet">Save away note</button>
    </form>
    ${forwardingForm(store, address)}
    <form method="post" action="/mailboxes/${encodeURIComponent(address)}/folders" class="bar">
      <label>Another folder <input name="name" required /></label><button class="quiet">Add folder</button>
    </form>`;
}

async function sheet(mailbox: Mailbox, store: PostStore, answered?: string, error?: string): Promise<Html> {
  const mail = answered === undefined ? undefined : await simpleParser(Buffer.from(answered, 'latin1'));
  const subject = mail?.subject ?? '';
  const references = [mail?.references ?? []]
    .flat()
    .concat(mail?.messageId ?? [])
    .join(' ');
  const quoted = (mail?.text ?? '')
    .split('\n')
    .map((line) => `> ${line}`)
    .join('\n');
  const text = mail
    ? `\n\nOn ${mail.date?.toISOString().slice(0, 16).replace('T', ' ') ?? ''}, ${mail.from?.text ?? ''} wrote:\n${quoted}`
    : '';
  return html`${error ? html`<p class="error">${error}</p>` : ''}
    <form method="post" class="fields" enctype="multipart/form-data">
      <span>From</span><span>${mailbox.name} &lt;${mailbox.address}&gt;</span>
      <label for="to">To</label><input id="to" name="to" required list="people" value="${mail?.replyTo?.value[0]?.address ?? mail?.from?.value[0]?.address ?? ''}" />
      <datalist id="people">${store.mailboxes().map(({ address }) => html`<option value="${address}"></option>`)}</datalist>
      <label for="subject">Subject</label><input id="subject" name="subject" value="${mail ? `Re: ${subject.replace(/^re:\s*/i, '')}` : ''}" />
      <label for="text">Text</label><textarea id="text" name="text" rows="10">${text}</textarea>
      <label for="file">Attach a file</label><input id="file" name="file" type="file" />
      <input type="hidden" name="inReplyTo" value="${mail?.messageId ?? ''}" /><input type="hidden" name="references" value="${references}" />
      <span></span><button>Send mail</button>
    </form>`;
}
