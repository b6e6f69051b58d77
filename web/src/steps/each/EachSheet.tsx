import { type EachStep, itemsOf, refKey, toText } from '@golden/core';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useNames } from '../../editor/draft/use-names.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { SelectField } from '../../parts/Field.tsx';
import { counted } from '../../parts/formats.ts';
import { EmptyState } from '../../parts/Messages.tsx';

interface EachProps {
  readonly step: EachStep;
  readonly samples: readonly SampleOnSheet[];
}

const shownSamples = 12;
/** Which list the sentences within are done for, and how many items each sample has. */
export function EachSheet({ step, samples }: EachProps) {
  const { draft } = useEditor();
  const lists = useNames(step.id).filter((one) => one.type === 'list' && !one.known.isInList);
  const reaching = samples.filter((one) => one.reached.has(step.id));
  const choose = (name: string): void => {
    const one = lists.find(({ known }) => refKey(known.ref) === name);
    draft.change(withStep<EachStep>(step.id, (each) => ({ ...each, over: one?.known.ref ?? null })));
  };
  return (
    <>
      <SheetHead title="Done for each item of a list" />
      <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
        {lists.length === 0 ? (
          <EmptyState title="There is no list here.">
            The record that starts the workflow, or an earlier step, must give a list, such as the lines of an order.
          </EmptyState>
        ) : (
          <div className="max-w-[360px]">
            <SelectField
              label="The list"
              hint="Steps added after this one are done for each item; a condition there leaves out single items."
              value={step.over ? refKey(step.over) : ''}
              onChange={(event) => choose(event.target.value)}
              choices={[
                { value: '', label: 'choose a list' },
                ...lists.map(({ name, known }) => ({ value: refKey(known.ref), label: name })),
              ]}
            />
          </div>
        )}
        {step.over && reaching.length > 0 && (
          <table className="sheet mt-2 max-w-[760px]">
            <thead>
              <tr>
                <th scope="col">Sample</th>
                <th scope="col">Items</th>
                <th scope="col">The first ones</th>
              </tr>
            </thead>
            <tbody>
              {reaching.slice(0, shownSamples).map((sample) => {
                const items = itemsOf(step.over, sample.scope);
                const first = items.slice(0, 3).map((item) => toText(Object.values(item)[0]));
                return (
                  <tr key={sample.id}>
                    <td className="truncate">{sample.title}</td>
                    <td>{counted(items.length, 'item')}</td>
                    <td className="truncate text-ink-2">{first.join(', ')}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}
