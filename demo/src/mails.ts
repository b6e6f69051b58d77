import {
  businessId,
  emptyContent,
  type Filling,
  formatPointer,
  type Place,
  startId,
  type WorkflowContent,
} from '@golden/core';
import type { Services } from '@golden/server';

const field = (path: string): Filling => ({ kind: 'field', ref: { step: startId, path }, tidies: [] });
const to = (column: string): string => formatPointer([column]);

/** The columns of the front desk's list of mails. */
const mailColumns = ['Received', 'From', 'Subject', 'Asks', 'Attached', 'Mail'] as const;

const thanks = `,

thank you for your mail. One of us will answer it within a working day.

`;

/** Mails that a person has written go onto the front desk's list, and are answered at once in their thread. */
function mailsAnswered(inbox: Place, list: Place, answers: Place, since: string): WorkflowContent {
  return {
    ...emptyContent('Mails of customers, listed and answered'),
    note: 'Nobody waits for a word from us. Programs and lists get no answer.',
    start: {
      source: inbox,
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'since', at: since },
    },
    steps: [
      {
        id: 'keep',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [{ kind: 'test', ref: { step: startId, path: '/kind' }, operator: 'is_one_of', values: ['person'] }],
        },
      },
      {
        id: 'list',
        kind: 'write',
        target: list,
        mode: 'append',
        mapping: {
          [to('Received')]: field('/received'),
          [to('From')]: field('/true_sender/address'),
          [to('Subject')]: field('/subject'),
          [to('Asks')]: field('/new_text'),
          [to('Attached')]: field('/has_attachments'),
          [to('Mail')]: field('/message_id'),
        },
      },
      {
        id: 'answer',
        kind: 'write',
        target: answers,
        mode: 'append',
        mapping: {
          '/to': field('/reply_to'),
          '/subject': field('/subject'),
          '/text': {
            kind: 'text',
            parts: [
              { kind: 'words', text: 'Dear ' },
              { kind: 'field', ref: { step: startId, path: '/true_sender/first_name' }, otherwise: 'customer' },
              { kind: 'words', text: thanks },
              { kind: 'field', ref: { step: businessId, path: '/signature' } },
            ],
            tidies: [],
          },
          '/message_id': field('/message_id'),
        },
      },
    ],
  };
}

/** Makes the list of mails and the workflow that fills it and answers, and makes it live; gives its content. */
export async function addMails(
  services: Services,
  mailbox: string,
  shelf: string,
  since: string,
): Promise<WorkflowContent> {
  const file = 'Front desk.xlsx';
  const connector = await services.connections.connector(shelf);
  await connector.shape?.addPlace({ above: [file], name: 'Mails', columns: mailColumns });
  const place = async (connection: string, path: string[], labels = path): Promise<Place> => ({
    connection,
    path,
    labels,
    described: await (await services.connections.connector(connection)).describe(path),
  });
  const content = mailsAnswered(
    await place(mailbox, ['folder:INBOX'], ['Inbox']),
    await place(shelf, [file, 'Mails']),
    await place(mailbox, ['answers'], ['Answers to mails']),
    since,
  );
  const { id } = await services.workflows.add(content, 'Enquiries');
  await services.engine.finish((await services.engine.makeLive(id)).run);
  return content;
}
