import { waitLinksId } from '../mapping/refs.ts';
import { definitionOf } from '../steps/registry.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from './schema.ts';

// The two links of a record that waits: whoever has one ends the wait, so that nothing more comes or that what comes
// comes now. Each record has its own, made when it is taken in.

/** What a link does with whoever waits. */
export type WaitLinkKind = 'stop' | 'continue';

/** The fields that every step of a workflow with waits knows. */
export const waitLinkFields: readonly Field[] = [
  { path: '/stop', label: 'stop link', type: 'url' },
  { path: '/continue', label: 'continue link', type: 'url' },
];

/** What stands for the links where nothing is sent: in a rehearsal and on the sheet. */
export const exampleWaitLinks: JsonRecord = {
  stop: 'https://relay.example/go/stop/made-when-it-is-taken-in',
  continue: 'https://relay.example/go/continue/made-when-it-is-taken-in',
};

/** Whether a workflow has waits, and so links that end them. */
export const hasWaitLinks = ({ steps }: Pick<WorkflowContent, 'steps'>): boolean =>
  steps.some(({ kind, isOff }) => kind === 'wait' && !isOff);

/** Whether a workflow uses a link. */
export const usesWaitLinks = ({ steps }: WorkflowContent): boolean =>
  steps.some((step) =>
    definitionOf(step)
      .refs(step)
      .some((ref) => ref.step === waitLinksId),
  );
