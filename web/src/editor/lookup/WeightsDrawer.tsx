import { useQuery, useQueryClient } from '@tanstack/react-query';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { counted, percentText } from '../../parts/formats.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';

interface DrawerProps {
  readonly stepId: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

const bits = (value: number): string => `${value > 0 ? '+' : ''}${value.toFixed(1)}`;

/** What the decisions so far would make of the weights, shown before it is taken. */
export function WeightsDrawer({ stepId, isOpen, onClose }: DrawerProps) {
  const { workflow, draft } = useEditor();
  const client = useQueryClient();
  const preview = useQuery({
    queryKey: ['weights', workflow.id, stepId],
    queryFn: () => call('GET /api/workflows/:id/weights', { params: { id: workflow.id }, query: { step: stepId } }),
    enabled: isOpen,
    retry: false,
  });
  const take = useAction(async () => {
    await draft.flush();
    const { number } = await call('POST /api/workflows/:id/weights', {
      params: { id: workflow.id },
      body: { step: stepId },
    });
    draft.change((content) => ({
      ...content,
      steps: content.steps.map((step) => {
        if (step.id !== stepId || (step.kind !== 'write' && step.kind !== 'lookup') || !step.ladder) return step;
        const rungs = step.ladder.rungs.map((rung) => (rung.kind === 'alike' ? { ...rung, weights: number } : rung));
        return { ...step, ladder: { ...step.ladder, rungs } };
      }),
    }));
    await client.invalidateQueries({ queryKey: ['weights'] });
    onClose();
  }, 'Now in the draft. A live version keeps its own weights.');
  const found = preview.data;
  return (
    <Drawer
      title="How much each field counts"
      isOpen={isOpen}
      onClose={onClose}
      isWide
      foot={
        found &&
        found.changes.length > 0 && (
          <Button look="main" disabled={take.isPending} onClick={() => take.mutate(undefined)}>
            Use these weights in the draft
          </Button>
        )
      }
    >
      {preview.isPending && <Loading what="the decisions" />}
      {preview.error && <ProblemMessage>{preview.error.message}</ProblemMessage>}
      {found && (
        <>
          <p className="mb-3">
            In force: {found.now === null ? 'the fixed weights' : `the weights no. ${found.now}`}.{' '}
            {found.learnt !== null &&
              `The last search for duplicates there learnt newer ones, no. ${found.learnt}: with them lookups and the search say the same. `}
            {found.decisions > 0 &&
              `${counted(found.decisions, 'decision')} of yours would change them ${found.learnt === null ? '' : 'further, '}as below.`}
            {found.decisions === 0 &&
              found.learnt === null &&
              'You have not decided any match of this step yet. When you have, or after a search for duplicates, this shows what it would change.'}
          </p>
          {found.changes.length > 0 && (
            <table className="sheet mb-4 border border-line-1">
              <thead>
                <tr>
                  <th scope="col">When</th>
                  <th scope="col" className="text-right!">
                    Counts now
                  </th>
                  <th scope="col" className="text-right!">
                    Would count
                  </th>
                </tr>
              </thead>
              <tbody>
                {found.changes.slice(0, 20).map((change) => (
                  <tr key={`${change.label} ${change.level}`}>
                    <td>
                      {change.label}: {change.level}
                    </td>
                    <td className="text-right">{bits(change.before)}</td>
                    <td className="text-right font-medium">{bits(change.after)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {found.verdicts.length > 0 && (
            <>
              <h3 className="mb-1 text-lg">How sure it would have been</h3>
              <table className="sheet border border-line-1">
                <thead>
                  <tr>
                    <th scope="col">Decided</th>
                    <th scope="col">Candidate</th>
                    <th scope="col">You chose</th>
                    <th scope="col" className="text-right!">
                      Now
                    </th>
                    <th scope="col" className="text-right!">
                      Then
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {found.verdicts.map((one) => (
                    <tr key={`${one.title} ${one.candidate}`}>
                      <td className="max-w-[150px] truncate">{one.title}</td>
                      <td className="max-w-[220px] truncate text-ink-2">{one.candidate}</td>
                      <td>{one.isSame ? 'the same' : 'somebody else'}</td>
                      <td className="text-right">{percentText(one.before)}</td>
                      <td className="text-right font-medium">{percentText(one.after)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
        </>
      )}
    </Drawer>
  );
}
