import { type Condition, type Place, type Step, startId, type WorkflowContent } from '@golden/core';
import type { Services } from '@golden/server';
import { retailToTrade } from './matching.ts';

/** A trade firm can buy at the counter as well, once its account with the retail company was looked at. */
export function counterAccountsApproved(trade: Place, retail: Place, mailbox: string, since: string): WorkflowContent {
  const content = retailToTrade(trade, retail);
  return {
    ...content,
    name: 'Trade firms as counter customers, approved',
    note: 'Mira looks at each firm before the counter may sell to it on account.',
    start: { ...content.start, on: 'added', fromWhen: { kind: 'since', at: since } },
    steps: content.steps.flatMap((step): Step[] => {
      if (step.kind === 'condition') return [{ ...step, condition: firms }];
      return step.id === 'trade' ? [miraApproves(mailbox), step] : [step];
    }),
  };
}

/** Whoever has somebody to speak to is a firm. */
const firms: Condition = {
  kind: 'all',
  items: [{ kind: 'test', ref: { step: startId, path: '/contactName' }, operator: 'is_not_empty', values: [] }],
};

const miraApproves = (mailbox: string): Step => ({
  id: 'approve',
  kind: 'ask',
  name: 'Mira approves',
  what: { kind: 'approval', write: 'trade' },
  words: [
    {
      kind: 'words',
      text: 'May these firms buy at the counter on account? Please look at the name and the tax number.',
    },
  ],
  to: [{ kind: 'words', text: 'mira@saltmarsh.example' }],
  through: mailbox,
  by: { amount: 5, unit: 'working_days' },
  remind: { amount: 2, unit: 'working_days' },
  silence: 'reminds',
});

/** Makes that workflow, makes it live, and gives its content. */
export async function addApprovals(
  services: Services,
  trade: Place,
  retail: Place,
  mailbox: string,
  since: string,
): Promise<WorkflowContent> {
  const content = counterAccountsApproved(trade, retail, mailbox, since);
  const { id } = await services.workflows.add(content, 'Customers');
  await services.engine.finish((await services.engine.makeLive(id)).run);
  return content;
}
