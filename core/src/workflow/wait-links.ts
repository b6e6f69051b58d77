import { waitLinksId } from '../mapping/refs.ts';
import { definitionOf } from '../steps/registry.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from './schema.ts';

// The links of a record. Two end its waits, so that nothing more comes or that what comes comes now; by the third the
// recipient of news unsubscribes. Each record has its own, made when it is taken in.

/** What a link does with whoever waits. */
export type WaitLinkKind = 'stop' | 'continue';

/** The fields that every step of a workflow with waits knows. */
const waitLinkFields: readonly Field[] = [
  { path: '/stop', label: 'stop link', type: 'url' },
  { path: '/continue', label: 'continue link', type: 'url' },
];

/** The field that every step of a workflow with news knows. */
const unsubscribeField: Field = { path: '/unsubscribe', label: 'unsubscribe link', type: 'url' };

/** What stands for the links where nothing is sent: in a rehearsal and on the sheet. */
export const exampleWaitLinks: JsonRecord = {
  stop: 'https://relay.example/go/stop/made-when-it-is-taken-in',
  continue: 'https://relay.example/go/continue/made-when-it-is-taken-in',
  unsubscribe: 'https://relay.example/go/unsubscribe/made-when-it-is-taken-in',
};

/** The links that every step of a workflow knows, and for whom they are; undefined where it needs none. */
export function linksKnown({
  steps,
}: Pick<WorkflowContent, 'steps'>): { readonly fields: readonly Field[]; readonly from: string } | undefined {
  const waits = steps.some(({ kind, isOff }) => kind === 'wait' && !isOff);
  const fields = [...(waits ? waitLinkFields : []), ...(sendsNews({ steps }) ? [unsubscribeField] : [])];
  if (fields.length === 0) return undefined;
  return { fields, from: waits ? 'for whoever waits' : 'for whoever is written to' };
}

/** Whether a workflow sends what its recipients can unsubscribe from. */
export const sendsNews = ({ steps }: Pick<WorkflowContent, 'steps'>): boolean =>
  steps.some((step) => step.kind === 'write' && !step.isOff && step.purpose === 'news');

/** Whether the records of a workflow need links of their own. */
export const usesWaitLinks = ({ steps }: WorkflowContent): boolean =>
  sendsNews({ steps }) ||
  steps.some((step) =>
    definitionOf(step)
      .refs(step)
      .some((ref) => ref.step === waitLinksId),
  );
