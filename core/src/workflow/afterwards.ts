import type { Filling } from '../mapping/filling.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { type Field, type FieldType, fieldAt, type RecordType } from '../values/field.ts';
import type { Pointer } from '../values/pointer.ts';
import { startId } from './references.ts';
import type { Start, WorkflowContent } from './schema.ts';

/** What becomes of a record where it came from, once all is done with it. */
export type Afterwards =
  | { readonly kind: 'leave' }
  | { readonly kind: 'read' }
  | { readonly kind: 'move'; readonly folder: string }
  /** A field of it says when that was; `by` is the field that it is found by. */
  | { readonly kind: 'mark'; readonly field: Pointer; readonly by: Pointer };

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

/** Kinds of field that can say when something was done, each with what is written there. */
const marks: Partial<Record<FieldType, Filling>> = {
  boolean: { kind: 'fixed', value: 'true' },
  date: { kind: 'formula', text: 'TODAY()', refs: {} },
  instant: { kind: 'formula', text: 'NOW()', refs: {} },
  any: { kind: 'formula', text: 'TODAY()', refs: {} },
  text: { kind: 'formula', text: 'TODAY()', refs: {} },
};

/** The fields of a source's records that can say when a workflow was done with them; none where they can't be changed. */
export const markableFields = ({ fields, can }: RecordType): Field[] =>
  can.find && can.update ? fields.filter((field) => !field.readOnly && !field.fields && marks[field.type]) : [];

/** The field by which a source's record is found again: what identifies it, or what its app says is its own. */
export function foundAgainBy({ identity, source }: Start): Pointer | undefined {
  if (identity !== undefined) return identity;
  const { fields = [], findBy } = source?.described ?? {};
  const known = fields.filter(({ path, type }) => (findBy ? findBy.includes(path) : type !== 'list'));
  const own = known.find(({ unique }) => unique) ?? known.find(({ path }) => /\/(id|number|no\.?)$/i.test(path));
  return (own ?? known.find(({ type }) => type === 'email'))?.path;
}

/** What a workflow does with its records afterwards, where they came from. */
export function afterwardsOf({ steps }: WorkflowContent): Afterwards {
  const step = steps.find((one): one is WriteStep => one.id === stepId && one.kind === 'write');
  if (!step) return { kind: 'leave' };
  const { key: by, mapping } = step;
  const field = Object.keys(mapping).find((path) => path !== by);
  if (by !== undefined) return field === undefined ? { kind: 'leave' } : { kind: 'mark', field, by };
  const folder = mapping[paths.folder];
  return folder?.kind === 'fixed' ? { kind: 'move', folder: folder.value } : { kind: 'read' };
}

/** The workflow with another choice of what becomes of its records: its last sentence, which is done when all others are through. */
export function withAfterwards(content: WorkflowContent, choice: Afterwards): WorkflowContent {
  const { source } = content.start;
  const steps = content.steps.filter(({ id }) => id !== stepId);
  if (choice.kind === 'leave' || !source) return { ...content, steps };
  const [by, field, filling] = written(choice, source.described);
  const step: WriteStep = {
    id: stepId,
    kind: 'write',
    target: source,
    mode: 'create_or_update',
    afterAll: true,
    // Where somebody has put it away meanwhile, nothing is done: what comes after all others never makes a record.
    ...(choice.kind === 'mark'
      ? { key: by }
      : {
          ladder: {
            rungs: [{ id: 'id', kind: 'exact', fields: [by] }],
            atNone: 'leave_out',
            atUnclear: 'ask',
            remembers: 'nothing',
          },
        }),
    policies: { [field]: 'always' },
    mapping: {
      [by]: { kind: 'field', ref: { step: startId, path: by }, tidies: [] },
      [field]: filling,
    },
  };
  return { ...content, steps: [...steps, step] };
}

/** By which field the record is found, and what is written into which. */
function written(choice: Exclude<Afterwards, { kind: 'leave' }>, { fields }: RecordType): [Pointer, Pointer, Filling] {
  if (choice.kind === 'read') return [paths.id, paths.read, { kind: 'fixed', value: 'true' }];
  if (choice.kind === 'move') return [paths.id, paths.folder, { kind: 'fixed', value: choice.folder }];
  const type = fieldAt(fields, choice.field)?.type ?? 'any';
  return [choice.by, choice.field, marks[type] ?? { kind: 'formula', text: 'TODAY()', refs: {} }];
}
