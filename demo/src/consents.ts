import { emptyContent, type Place, startId, type WorkflowContent } from '@golden/core';
import { field } from './workflows.ts';

// What somebody says in one app of being written to is carried to the others.

/** Who answers a text message with one of the usual words gets no more news: they are put on the list of who unsubscribed. */
export function stopAnswers(source: Place, target: Place): WorkflowContent {
  return {
    ...emptyContent('Answers STOP to text messages'),
    note: 'Whoever answers with one of these words gets no more news by text message.',
    start: {
      source,
      on: 'added',
      trigger: { kind: 'every', minutes: 1 },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'stop',
        kind: 'condition',
        condition: {
          kind: 'test',
          ref: { step: startId, path: '/text' },
          operator: 'is_one_of',
          // The words that carriers have agreed on in many countries: common practice.
          values: ['STOP', 'STOPALL', 'UNSUBSCRIBE', 'CANCEL', 'END', 'QUIT', 'STOPP', 'ARRÊT', 'ARRET'],
        },
      },
      {
        id: 'list',
        kind: 'write',
        target,
        mode: 'append',
        mapping: { '/phone': field('/from'), '/said': field('/text') },
      },
    ],
  };
}

/** Who unsubscribes from the newsletter is put on the list of who unsubscribed, and may not be mailed by the Card index any more. */
export function withdrawnConsents(subscribers: Place, list: Place, people: Place): WorkflowContent {
  return {
    ...emptyContent('Unsubscribed from the newsletter'),
    note: 'Whoever unsubscribes there gets no news from here either, and their card says so. Nobody gets a card by it.',
    start: {
      source: subscribers,
      on: 'becomes',
      becomes: { path: '/status', value: 'unsubscribed' },
      trigger: { kind: 'every', minutes: 15 },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: list,
        mode: 'append',
        mapping: { '/email': field('/email'), '/said': { kind: 'fixed', value: 'in the newsletter' } },
      },
      {
        id: 'card',
        kind: 'write',
        target: people,
        mode: 'create_or_update',
        ladder: { rungs: [{ id: 'mail', kind: 'exact', fields: ['/email'] }], atNone: 'empty', atUnclear: 'ask' },
        mapping: { '/email': field('/email'), '/mayBeMailed': { kind: 'fixed', value: 'no' } },
      },
    ],
  };
}
