import type { WriteStep } from '../steps/write/schema.ts';
import { fieldAt, type RecordType } from '../values/field.ts';
import { startId } from './references.ts';
import type { WorkflowContent } from './schema.ts';

/** What becomes of a mail, once all is done with it. */
export type Afterwards =
  | { readonly kind: 'leave' }
  | { readonly kind: 'read' }
  | { readonly kind: 'move'; readonly folder: string };

const stepId = 'afterwards';
const paths = { id: '/message_id', read: '/read', folder: '/folder' } as const;

/** Whether the records of a place can be marked as read, and put into another folder. */
export const canBePutAway = ({ fields, can }: RecordType): boolean =>
  can.find &&
  can.update &&
  Object.values(paths).every((path) => {
    const field = fieldAt(fields, path);
    return field !== undefined && !field.readOnly;
  });

/** What a workflow does with its mails afterwards. */
export function afterwardsOf({ steps }: WorkflowContent): Afterwards {
  const step = steps.find((one): one is WriteStep => one.id === stepId && one.kind === 'write');
  const folder = step?.mapping[paths.folder];
  if (folder?.kind === 'fixed') return { kind: 'move', folder: folder.value };
  return step ? { kind: 'read' } : { kind: 'leave' };
}

/** The workflow with another choice of what becomes of its mails: its last sentence, which is done when all others are through. */
export function withAfterwards(content: WorkflowContent, choice: Afterwards): WorkflowContent {
  const { source } = content.start;
  const steps = content.steps.filter(({ id }) => id !== stepId);
  if (choice.kind === 'leave' || !source) return { ...content, steps };
  const set = choice.kind === 'read' ? ([paths.read, 'true'] as const) : ([paths.folder, choice.folder] as const);
  const step: WriteStep = {
    id: stepId,
    kind: 'write',
    target: source,
    mode: 'create_or_update',
    afterAll: true,
    ladder: {
      rungs: [{ id: 'id', kind: 'exact', fields: [paths.id] }],
      // Somebody has put it away meanwhile.
      atNone: 'leave_out',
      atUnclear: 'ask',
      remembers: 'nothing',
    },
    policies: { [set[0]]: 'always' },
    mapping: {
      [paths.id]: { kind: 'field', ref: { step: startId, path: paths.id }, tidies: [] },
      [set[0]]: { kind: 'fixed', value: set[1] },
    },
  };
  return { ...content, steps: [...steps, step] };
}
