import type { EnquiryStore, NoticeStore, Submission } from '@golden/standins';
import { DateTime } from 'luxon';

type Filled = Omit<Submission, 'form'> & { readonly daysAgo: number };

const kilnEnquiries: readonly Filled[] = [
  {
    daysAgo: 12,
    name: 'Zoë Ó Briain',
    email: 'zoe@obriain.example',
    phone: '+353 20 910 0123',
    message: 'Which kiln for a shed with a single-phase supply?',
    answers: { kiln: 'top-loading', litres: 60, 'has-three-phase': false },
  },
  {
    daysAgo: 11,
    name: 'Bracken Primary School',
    email: 'art@bracken.example',
    phone: '01632 960 114',
    message: 'We need a quote, with delivery, before the end of term.',
    answers: { kiln: 'front-loading', litres: 120, 'has-three-phase': true },
  },
  {
    daysAgo: 9,
    name: 'M. Okafor',
    email: null,
    phone: '01632 960 287',
    message: 'Please call, I have no e-mail.',
    answers: { kiln: null, litres: null, 'has-three-phase': false },
  },
  {
    daysAgo: 6,
    name: 'zoë o briain',
    email: 'ZOE@OBRIAIN.EXAMPLE ',
    phone: null,
    message: 'Me again: and a shelf set for it?',
    answers: { kiln: 'top-loading', litres: 60, 'has-three-phase': false },
  },
  {
    daysAgo: 3,
    name: '佐藤 陽子',
    email: 'sato@kamado.example',
    phone: '+81 3 5555 0100',
    message: 'Do you ship to Osaka? “Cone 10”, gas.',
    answers: { kiln: 'gas', litres: 250, 'has-three-phase': true },
  },
  {
    daysAgo: 1,
    name: 'Dirk "the kiln" Maas',
    email: 'dirk@maas.example',
    phone: '1,5 km from the station, no phone',
    message: '',
    answers: { kiln: 'top-loading', litres: 40, 'has-three-phase': false },
  },
];

/** Pages of the website of Saltmarsh Kiln Supply: one in use, with a form that nobody has filled in, and one that is new. */
export function fillEnquiries(store: EnquiryStore, now: string): void {
  store.addPage('kilns', 'Kilns', true);
  store.addForm({
    id: 'kiln-enquiry',
    page: 'kilns',
    title: 'Kiln enquiry',
    questions: [
      { key: 'kiln', label: 'Kind of kiln', kind: 'text' },
      { key: 'litres', label: 'Litres', kind: 'number' },
      { key: 'has-three-phase', label: 'Three-phase supply', kind: 'yes_or_no' },
    ],
  });
  store.addForm({
    id: 'repair-request',
    page: 'kilns',
    title: 'Repair request',
    questions: [{ key: 'fault', label: 'What is wrong', kind: 'text' }],
  });
  store.addPage('workshops', 'Workshops');
  store.addForm({ id: 'workshop-booking', page: 'workshops', title: 'Workshop booking', questions: [] });
  for (const { daysAgo, ...filled } of kilnEnquiries)
    store.submit({ form: 'kiln-enquiry', ...filled }, before(now, daysAgo));
}

const messages: readonly (readonly [number, string, string, string])[] = [
  [10, 'front-desk', 'Mira', 'Parcel for Hollow Oak Studio is back: wrong postcode.'],
  [8, 'front-desk', 'Tom', 'Till roll is the last one. Please order.'],
  [5, 'stock', 'Anneke', 'Celadon 500 g: 4 left'],
  [2, 'stock', 'Anneke', 'Cone 6 sets came in, 40 of them'],
  [1, 'front-desk', 'Mira', 'School visit on Thursday at 10, 14 children'],
];

/** Channels of the Notice board, with what people wrote there. */
export function fillNotices(store: NoticeStore, now: string): void {
  store.addChannel('front-desk', 'Front desk');
  store.addChannel('stock', 'Stock');
  for (const [daysAgo, channel, author, text] of messages) store.write({ channel, author, text }, before(now, daysAgo));
}

const before = (now: string, days: number): string => DateTime.fromISO(now).minus({ days }).toUTC().toISO() ?? now;
