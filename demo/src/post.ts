import type { Letter, PostRoom } from '@golden/standins';
import { DateTime } from 'luxon';

/** Customers and others who write to the kiln supply, and where they are away. */
const people = [
  { address: 'abbey@bechtelar.example', name: 'Abbey Bechtelar', away: '' },
  { address: 'emi@kamado.example', name: '佐藤 恵美', away: '' },
  { address: 'hi@moor.example', name: 'Töpferei Moor GmbH', away: '' },
  { address: 'rolf@clay.example', name: 'Rolf', away: '' },
  { address: 'chloe@terre.example', name: 'Chloé Durand', away: '' },
  { address: 'anke@schule.example', name: 'Anke Schäfer', away: '' },
  { address: 'isla@byrne.example', name: 'Isla Byrne', away: '' },
  {
    address: 'owen@hill.example',
    name: 'Owen Hill',
    away: 'I am away until 4 January. In urgent cases ring the workshop.',
  },
  { address: 'forms@website.example', name: 'Website', away: '' },
] as const;

type Mail = Omit<Letter, 'at' | 'to'> & { readonly hoursAgo: number };

const from = (address: string): string => {
  const name = people.find((one) => one.address === address)?.name ?? '';
  return name === '' ? address : `"${name}" <${address}>`;
};

/** What has come to the shop's mailbox: awkward on purpose, the newest last. */
const came: readonly Mail[] = [
  {
    hoursAgo: 230,
    from: from('abbey@bechtelar.example'),
    subject: 'Kiln for a small studio',
    text: 'Hello,\n\nI am looking for a kiln of about 60 litres for a garden studio. Is it possible to run it on a normal socket?\n\nMany thanks\nAbbey\n',
  },
  {
    hoursAgo: 205,
    from: from('emi@kamado.example'),
    subject: '窯についての質問',
    text: '60リットルの窯はありますか？\n\n佐藤 恵美\n',
  },
  {
    hoursAgo: 180,
    from: 'Potters of the coast <potters@lists.example>',
    subject: '[potters] Does anybody have cones to spare?',
    text: 'Cone 6, a handful would do.\n',
    headers: { 'List-Id': 'Potters of the coast <potters.lists.example>', Precedence: 'list' },
  },
  {
    hoursAgo: 151,
    from: from('hi@moor.example'),
    subject: 'Anfrage Großbrand',
    text: 'Guten Tag,\n\nwir suchen einen Ofen mit 250 Litern. Können Sie bis Emden liefern?\n\nMit freundlichen Grüßen\nTöpferei Moor GmbH\nTel. +49 30 901820\n',
  },
  {
    hoursAgo: 127,
    from: from('rolf@clay.example'),
    subject: '',
    text: 'price list please',
  },
  {
    hoursAgo: 101,
    from: from('chloe@terre.example'),
    subject: 'Re: Votre commande 1042',
    text: 'Merci, c’est bien arrivé.\n\nCordialement,\nChloé\n\nLe 20/11/2026 à 10:12, Saltmarsh Kiln Supply <hello@saltmarsh.example> a écrit :\n\n> Votre colis est-il arrivé ?\n>\n> Mira Holm\n',
  },
  {
    hoursAgo: 77,
    from: from('forms@website.example'),
    subject: 'New kiln enquiry',
    text: 'The form “Kiln enquiry” was filled in.\n\nName: Kai Winter\nE-mail: kai@winter.example\nTelephone: +49 30 901821\nKiln size: 60 l\nMessage: Is it quiet enough for a flat?\n',
    replyTo: 'kai@winter.example',
    headers: { 'Auto-Submitted': 'auto-generated' },
  },
  {
    hoursAgo: 52,
    from: '"Mira Holm" <mira@saltmarsh.example>',
    subject: 'Fwd: Delivery to Cork',
    text: 'Can the shop take this one?\n\n---------- Forwarded message ---------\nFrom: Isla Byrne <isla@byrne.example>\nDate: Tue, 24 Nov 2026 at 18:03\nSubject: Delivery to Cork\nTo: Mira Holm <mira@saltmarsh.example>\n\n\nHello, how much is delivery of one bag of clay to Cork?\n\nIsla\n',
  },
  {
    hoursAgo: 29,
    from: from('anke@schule.example'),
    subject: 'AW: Ihre Anfrage',
    text: 'Danke, das passt.\n\nViele Grüße\nAnke Schäfer\nGrundschule am Deich\n\nVon: Saltmarsh Kiln Supply <hello@saltmarsh.example>\nGesendet: Montag, 23. November 2026 10:12\nAn: Anke Schäfer <anke@schule.example>\nBetreff: Ihre Anfrage\n\nPasst der Termin am Freitag?\n',
  },
  {
    hoursAgo: 26,
    from: from('owen@hill.example'),
    subject: 'Open day',
    text: 'I saw it here: https://saltmarsh.example/open-day?from=mail\n\nPlease put us down for two.\n\n-- \nOwen Hill\nHill Pottery\n',
  },
  {
    hoursAgo: 4,
    from: from('abbey@bechtelar.example'),
    subject: 'Re: Kiln for a small studio',
    text: 'One more thing: do you take old kilns back?\n\nSent from my phone\n',
    attachments: [{ filename: 'old kiln.jpg', content: Buffer.from('a picture') }],
  },
];

/** Fills the Post room: mailboxes of those who write, a folder of the workshop's, and mails of the last days. */
export async function fillPost(room: PostRoom, now: string): Promise<void> {
  for (const one of people) {
    const mailbox = { ...one, password: 'practice' };
    room.store.addMailbox(mailbox);
    room.imap.open(mailbox);
  }
  room.imap.addFolder('hello@saltmarsh.example', 'Enquiries');
  for (const { hoursAgo, ...mail } of came) {
    const at = DateTime.fromISO(now).minus({ hours: hoursAgo }).toJSDate();
    await room.delivery.write({ ...mail, to: ['hello@saltmarsh.example'], at });
  }
}
