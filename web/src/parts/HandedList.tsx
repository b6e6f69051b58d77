import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { counted, formatNumber } from './formats.ts';
import { OutcomeMark, stateLooks } from './OutcomeMark.tsx';

interface ListProps {
  readonly itemId: string;
  /** Changes whenever the record has moved. */
  readonly version: string;
}

type StateName = keyof typeof stateLooks;

/** Whom a record has handed what over to, and by whom it was handed over; each opens from here. */
export function HandedList({ itemId, version }: ListProps) {
  const handed = useQuery({
    queryKey: ['item', itemId, 'handed', version],
    queryFn: () => call('GET /api/items/:id/handed', { params: { id: itemId } }),
  }).data;
  if (!handed || (handed.by === null && handed.steps.length === 0)) return null;
  return (
    <div className="mt-4 space-y-3">
      {handed.by && (
        <p>
          Handed over by{' '}
          <RecordLink id={handed.by.id} runId={handed.by.runId} workflowId={handed.by.workflowId}>
            {handed.by.title}
          </RecordLink>{' '}
          of “{handed.by.workflow}”
        </p>
      )}
      {handed.steps.map(({ step, workflow, workflowId, isOn, count, states, items }) => {
        const waiting = states['handed'] ?? 0;
        return (
          <section key={step} aria-label={`Handed over to ${workflow}`}>
            <h3 className="mb-1 font-medium">
              {formatNumber(count)} handed over to “{workflow}” = {formatNumber(count - waiting)} taken in
              {waiting > 0 && ` + ${counted(waiting, 'that waits', 'that wait')}`}
            </h3>
            {waiting > 0 && !isOn && (
              <p className="mb-1 text-brass">That workflow is off: they wait until it is switched on.</p>
            )}
            <ul className="rounded-md border border-line-1 bg-raised">
              {items.map(({ turn, id, runId, title, state, message }) => (
                <li
                  key={turn}
                  className="flex flex-wrap items-baseline gap-x-2 border-b border-line-2 px-2.5 py-1 last:border-0"
                >
                  {id && runId && workflowId ? (
                    <RecordLink id={id} runId={runId} workflowId={workflowId}>
                      {title}
                    </RecordLink>
                  ) : (
                    <span className="text-ink-2">{turn > 0 ? `No. ${turn}` : 'It'}</span>
                  )}
                  {state === 'handed' ? (
                    <span className="text-sm text-ink-2">not taken in yet</span>
                  ) : (
                    <OutcomeMark look={stateLooks[state as StateName]} />
                  )}
                  {message && state !== 'delivered' && <span className="text-sm text-ink-2">{message}</span>}
                </li>
              ))}
            </ul>
            {count > items.length && (
              <p className="mt-1 text-sm text-ink-2">
                and {formatNumber(count - items.length)} more, in that workflow’s runs
              </p>
            )}
          </section>
        );
      })}
    </div>
  );
}

interface LinkProps {
  readonly id: string;
  readonly runId: string;
  readonly workflowId: string;
  readonly children: React.ReactNode;
}

/** Leads to a record where its workflow shows it: in the run that took it in. */
function RecordLink({ id, runId, workflowId, children }: LinkProps) {
  return (
    <Link to={`/workflows/${workflowId}/runs/${runId}?item=${id}`} className="underlined font-medium">
      {children}
    </Link>
  );
}
