import { type ItemState, type StepResult, toText } from '@golden/core';
import { useEffect } from 'react';
import { call } from '../../api/client.ts';
import { type Tried, useAction } from '../../api/queries.ts';
import { Drawer } from '../../parts/Drawer.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { clipped } from '../place/PlacePreview.tsx';
import { useEditor } from './context.tsx';

interface TryProps {
  readonly stepId: string | undefined;
  readonly onClose: () => void;
}

/** One sentence tried alone over the samples: what it would find and write, with nothing written. */
export function TryDrawer({ stepId, onClose }: TryProps) {
  const { workflow, draft } = useEditor();
  const attempt = useAction(async (step: string) => {
    await draft.flush();
    return call('POST /api/workflows/:id/try', { params: { id: workflow.id }, body: { step } });
  });
  const { mutate } = attempt;
  useEffect(() => {
    if (stepId) mutate(stepId);
  }, [stepId, mutate]);
  const rows = attempt.data ?? [];
  return (
    <Drawer title="Tried alone with the samples" isOpen={stepId !== undefined} onClose={onClose} isWide>
      <p className="mb-3 text-ink-2">
        Only this sentence, with the destination as it is now. Conditions before it are left aside; nothing is written.
      </p>
      {attempt.isPending && <Loading what="the result" />}
      {attempt.error && <ProblemMessage>{attempt.error.message}</ProblemMessage>}
      {stepId && attempt.data && (
        <>
          <Totals rows={rows} stepId={stepId} />
          <table className="sheet border border-line-1">
            <thead>
              <tr>
                <th scope="col">Sample</th>
                <th scope="col">Outcome</th>
                <th scope="col">Message</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => {
                const result = resultOf(row, stepId);
                return (
                  <tr key={row.sourceId}>
                    <td className="max-w-[180px] break-words">{row.title}</td>
                    <td className="whitespace-nowrap">
                      <ResultMark result={result} />
                    </td>
                    <td className="max-w-[320px] break-words">{whatItSays(result)}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </Drawer>
  );
}

const resultOf = (row: Tried, stepId: string): StepResult | undefined => (row.detail as ItemState).steps[stepId];

/** The outcome under which a result is counted. */
function outcomeOf(result: StepResult | undefined): keyof typeof writeLooks | 'kept' {
  if (result?.kind === 'written') return result.outcome;
  if (result?.kind === 'left_out') return 'left_out';
  return result?.kind === 'kept' ? 'kept' : 'unsettled';
}

function Totals({ rows, stepId }: { readonly rows: readonly Tried[]; readonly stepId: string }) {
  const counts = new Map<string, number>();
  for (const row of rows) {
    const outcome = outcomeOf(resultOf(row, stepId));
    counts.set(outcome, (counts.get(outcome) ?? 0) + 1);
  }
  return (
    <p role="status" className="mb-2 flex flex-wrap gap-4 text-md">
      {[...counts].map(([outcome, count]) =>
        outcome === 'kept' ? (
          <span key={outcome} className="text-pine">
            {count} kept
          </span>
        ) : (
          <OutcomeMark key={outcome} look={writeLooks[outcome as keyof typeof writeLooks]} count={count} />
        ),
      )}
    </p>
  );
}

function ResultMark({ result }: { readonly result: StepResult | undefined }) {
  const outcome = outcomeOf(result);
  return outcome === 'kept' ? <span className="text-pine">kept</span> : <OutcomeMark look={writeLooks[outcome]} />;
}

function whatItSays(result: StepResult | undefined): string {
  if (!result) return '';
  if (result.kind === 'kept' || result.kind === 'left_out') return result.why;
  if (result.kind === 'unsettled') return result.message;
  if (result.kind !== 'written') return '';
  return result.changes
    .map(
      (change) =>
        `${change.label}: ${clipped(toText(change.before)) || 'empty'} → ${clipped(toText(change.after)) || 'empty'}`,
    )
    .join('; ');
}
