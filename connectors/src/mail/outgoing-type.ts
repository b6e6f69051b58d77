import type { Field, RecordType } from '@golden/core';
import { attachmentFields } from './attached-files.ts';

/** From whom mails go out. */
interface Ends {
  /** Under which they may be sent; the first is the usual one. */
  readonly senders: readonly string[];
  /** Those of them whose mails, also those that come back, are read through the same connection. */
  readonly read: readonly string[];
}

/**
 * What is told of mails that go out, with the senders whose mails come back to where they are read.
 *
 * @param isFree - true of mails that may be news; an answer is what somebody waits for
 */
const sentTo = ({ senders: [usual = ''], read }: Ends, isFree: boolean) => ({
  to: '/to',
  copies: ['/cc', '/bcc'],
  subject: '/subject',
  ...(isFree && { body: '/text' }),
  back: { from: '/from', usual, read: [...read] },
});
const can = { list: false, find: false, create: true, update: false, readBack: false };

const senderField = (senders: readonly string[]): Field => ({
  path: '/from',
  label: 'from',
  type: 'choice',
  byPersonOnly: true,
  description: 'The first of them where it isn’t filled',
  options: senders.map((one) => ({ value: one, label: one })),
});

const textFields: readonly Field[] = [
  { path: '/text', label: 'text', type: 'text', required: true, isLong: true, tellsGaps: true, byPersonOnly: true },
  {
    path: '/format',
    label: 'how it is set',
    type: 'choice',
    byPersonOnly: true,
    description: 'As typed, where it isn’t filled',
    options: [
      { value: 'plain', label: 'as typed' },
      {
        value: 'simple',
        label: 'simply formatted: # heading, - list, **strong**, [words](address), ![words](attached picture)',
      },
    ],
  },
];

const copies: readonly Field[] = [
  { path: '/cc', label: 'copies to', type: 'text', byPersonOnly: true },
  { path: '/bcc', label: 'hidden copies to', type: 'text', byPersonOnly: true },
];

/** What a mail that is sent consists of. @param files - the names of those that can go along */
export const outgoingType = (ends: Ends, files: readonly string[]): RecordType => ({
  name: 'outgoing',
  singular: 'mail',
  plural: 'mails',
  fields: [
    { path: '/to', label: 'to', type: 'email', required: true },
    {
      path: '/subject',
      label: 'subject',
      type: 'text',
      required: true,
      maxLength: 400,
      tellsGaps: true,
      byPersonOnly: true,
    },
    ...textFields,
    ...copies,
    { path: '/reply_to', label: 'answers go to', type: 'email', byPersonOnly: true },
    ...attachmentFields(files),
    senderField(ends.senders),
  ],
  can,
  sentTo: sentTo(ends, true),
});

/** What an answer to a mail consists of: the mail's own marks put it into its thread. */
export const answerType = (ends: Ends, files: readonly string[]): RecordType => ({
  name: 'answers',
  singular: 'answer',
  plural: 'answers',
  fields: [
    { path: '/to', label: 'answer goes to', type: 'email', required: true },
    {
      path: '/subject',
      label: 'subject',
      type: 'text',
      maxLength: 400,
      tellsGaps: true,
      description: 'Of the mail that is answered; “Re:” is put before it',
    },
    ...textFields,
    {
      path: '/message_id',
      label: 'message id',
      type: 'text',
      required: true,
      description: 'Of the mail that is answered: it puts the answer into its thread',
    },
    {
      path: '/kind',
      label: 'written by',
      type: 'text',
      description:
        'Of the mail that is answered, where it isn’t in this mailbox: what a program wrote is never answered',
    },
    {
      path: '/references',
      label: 'mails before it',
      type: 'text',
      description: 'Of the mail that is answered, where it isn’t in this mailbox',
    },
    ...copies,
    ...attachmentFields(files),
    senderField(ends.senders),
  ],
  can,
  sentTo: sentTo(ends, false),
});
