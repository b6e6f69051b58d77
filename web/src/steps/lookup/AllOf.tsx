import { type Field, type KnownField, type LookupStep, type RecordType, recordTitle, refKey } from '@golden/core';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Chooser } from '../../parts/Chooser.tsx';
import { EmptyState } from '../../parts/Messages.tsx';

type All = NonNullable<LookupStep['all']>;

/** The fields by which a place's records can be found. */
const findable = ({ fields, findBy }: RecordType): readonly Field[] =>
  fields.filter(({ path, type }) => (findBy ? findBy.includes(path) : type !== 'list' && type !== 'record'));

/** What most likely belongs together: a field that names the other record by its id, or one that is called alike. */
export function proposedAll(described: RecordType, known: readonly KnownField[]): All | undefined {
  const plain = known.filter(({ field, isInList }) => field.type !== 'list' && !isInList);
  const id = plain.find(({ field, ref }) => field.type === 'id' || ref.path === '/id');
  const fields = findable(described);
  const same = fields.find((field) => plain.some((one) => one.field.label === field.label && field.type !== 'id'));
  const named = fields.find(({ type, readOnly }) => type === 'id' && readOnly !== true);
  const [field, from] = named && id ? [named, id] : [same, plain.find((one) => one.field.label === same?.label)];
  const [first] = fields;
  const path = (field ?? first)?.path;
  const ref = (from ?? id ?? plain[0])?.ref;
  return path !== undefined && ref ? { path, value: { kind: 'field', ref, tidies: [] } } : undefined;
}

interface AllProps {
  readonly step: LookupStep;
  readonly all: All;
  readonly described: RecordType;
  readonly samples: readonly SampleOnSheet[];
  readonly known: readonly KnownField[];
}

const shownSamples = 12;

/** By which field all that belong to a record are found, and what each sample has. */
export function AllOf({ step, all, described, samples, known }: AllProps) {
  const { draft } = useEditor();
  const change = (next: Partial<All>): void =>
    draft.change(withStep<LookupStep>(step.id, (one) => ({ ...one, all: { ...all, ...next } })));
  const sources = known.filter(({ field, isInList }) => field.type !== 'list' && !isInList);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <div className="flex flex-wrap items-center gap-2 border-b border-line-1 px-5 py-2.5">
        <span className="text-ink-2">All {described.plural} whose</span>
        <Chooser
          aria-label="The field they are found by"
          value={all.path}
          onChoose={(path) => change({ path })}
          choices={findable(described).map(({ path, label }) => ({ value: path, label }))}
        />
        <span className="text-ink-2">is</span>
        <Chooser
          aria-label="The value they have"
          value={all.value.kind === 'field' ? refKey(all.value.ref) : ''}
          onChoose={(name) => {
            const one = sources.find(({ ref }) => refKey(ref) === name);
            if (one) change({ value: { kind: 'field', ref: one.ref, tidies: [] } });
          }}
          choices={sources.map((one) => ({ value: refKey(one.ref), label: one.field.label, hint: one.from }))}
        />
      </div>
      {samples.length === 0 ? (
        <EmptyState title="No sample gets here.">
          Choose samples at the start, or change what leaves them out.
        </EmptyState>
      ) : (
        <table className="sheet mt-3 ml-5 max-w-[760px]">
          <thead>
            <tr>
              <th scope="col">Sample</th>
              <th scope="col">Found</th>
              <th scope="col">The first ones</th>
            </tr>
          </thead>
          <tbody>
            {samples.slice(0, shownSamples).map((sample) => {
              const records = (sample.scope[step.id]?.['records'] ?? []) as readonly Parameters<
                typeof recordTitle
              >[0][];
              return (
                <tr key={sample.id}>
                  <td className="truncate">{sample.title}</td>
                  <td className="tabular-nums">{records.length}</td>
                  <td className="truncate text-ink-2">{records.slice(0, 3).map(recordTitle).join(', ')}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </div>
  );
}
