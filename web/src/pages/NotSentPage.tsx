import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useNotSent } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { Button } from '../parts/Button.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { Pager } from '../parts/Pager.tsx';

const kinds = [
  { kind: 'left_out', text: 'Left out' },
  { kind: 'noted', text: 'Already known' },
  { kind: 'put_aside', text: 'Dismissed or undone' },
] as const;

/** What is said where nothing is of a kind. */
const nothing = {
  left_out: {
    title: 'Nothing was left out.',
    text: 'What a condition leaves out is listed here, with the value for which it was.',
  },
  noted: { title: 'Nothing was known before.', text: 'What was there when the workflow began is listed here.' },
  put_aside: { title: 'Nothing was put aside.', text: 'What people dismiss, stop or undo is listed here.' },
} as const;

/** Rows of one page. */
const step = 50;

/** What the workflow didn't send, with the reason of each; some of it is brought in after all. */
export function NotSentPage() {
  const { workflow, zone } = useEditor();
  const navigate = useNavigate();
  const [kind, setKind] = useState<(typeof kinds)[number]['kind']>('left_out');
  const [reason, setReason] = useState<string>();
  const [from, setFrom] = useState(0);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const found = useNotSent(workflow.id, kind, reason, from);
  const bringIn = useAction(async () => {
    const { run } = await call('POST /api/workflows/:id/these', {
      params: { id: workflow.id },
      body: { ids: [...chosen] },
    });
    await navigate(`/workflows/${workflow.id}/runs/${run}`);
  });
  const look = (next: (typeof kinds)[number]['kind'], why?: string): void => {
    setKind(next);
    setReason(why);
    setFrom(0);
    setChosen(new Set());
  };
  const choose = (ids: readonly string[], isChosen: boolean): void => {
    const next = new Set(chosen);
    for (const id of ids) isChosen ? next.add(id) : next.delete(id);
    setChosen(next);
  };
  const rows = found.data?.rows ?? [];
  const isAllChosen = rows.length > 0 && rows.every(({ sourceId }) => chosen.has(sourceId));
  const isOn = workflow.isOn && workflow.liveVersion !== null;
  return (
    <div className="px-5 py-3">
      <div className="mb-2.5 flex flex-wrap items-center gap-1.5">
        {kinds.map((one) => (
          <Chip key={one.kind} isChosen={kind === one.kind && reason === undefined} onChoose={() => look(one.kind)}>
            {one.text}
          </Chip>
        ))}
        {found.data?.reasons.map((one) => (
          <Chip
            key={one.reason}
            isChosen={reason === one.reason}
            onChoose={() => look(kind, reason === one.reason ? undefined : one.reason)}
          >
            {one.reason || 'no reason'} {formatNumber(one.count)}
          </Chip>
        ))}
        <span className="ml-auto" />
        <Button
          look="main"
          disabled={chosen.size === 0 || !isOn || bringIn.isPending}
          onClick={() => bringIn.mutate(undefined)}
        >
          {chosen.size === 0 ? 'Bring in' : `Bring ${counted(chosen.size, 'record')} in`}
        </Button>
      </div>
      {!isOn && <p className="mb-2 text-ink-2">The workflow is off. Switch it on to bring records in.</p>}
      {kind === 'left_out' && isOn && (
        <p className="mb-2 text-ink-2">
          What is brought in is read anew and goes through the conditions as they are now: change a condition first
          where it shouldn’t count any more.
        </p>
      )}
      {found.error && <ProblemMessage>{found.error.message}</ProblemMessage>}
      {!found.data && !found.error && <Loading what="what wasn’t sent" />}
      {found.data && rows.length === 0 && <EmptyState title={nothing[kind].title}>{nothing[kind].text}</EmptyState>}
      {rows.length > 0 && (
        <table className="sheet table-fixed border border-line-1">
          <thead>
            <tr>
              <th scope="col" className="w-[38px]">
                <input
                  type="checkbox"
                  aria-label="Choose all of these"
                  checked={isAllChosen}
                  onChange={(event) =>
                    choose(
                      rows.map(({ sourceId }) => sourceId),
                      event.target.checked,
                    )
                  }
                  className="accent-pine"
                />
              </th>
              <th scope="col" className="w-[34%]">
                Record
              </th>
              <th scope="col">Why</th>
              <th scope="col" className="w-[130px]">
                Since
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.sourceId}>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`Choose ${row.title}`}
                    checked={chosen.has(row.sourceId)}
                    onChange={(event) => choose([row.sourceId], event.target.checked)}
                    className="accent-pine"
                  />
                </td>
                <td className="truncate">
                  <span className="font-medium">{row.title}</span>{' '}
                  <span className="font-mono text-sm text-ink-2">{row.sourceId}</span>
                </td>
                <td className="truncate text-stone">{row.reason}</td>
                <td className="text-ink-2">{row.at && formatInstant(row.at, zone)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {found.data && <Pager from={from} step={step} total={found.data.total} onFrom={setFrom} />}
    </div>
  );
}

interface ChipProps {
  readonly isChosen: boolean;
  readonly onChoose: () => void;
  readonly children: React.ReactNode;
}

const Chip = ({ isChosen, onChoose, children }: ChipProps) => (
  <button
    type="button"
    aria-pressed={isChosen}
    onClick={onChoose}
    className={`min-h-6 max-w-[320px] truncate rounded-full border px-3 py-0.5 ${isChosen ? 'border-pine bg-pine-tint font-semibold text-pine' : 'border-line-1 bg-raised hover:bg-pine-faint'}`}
  >
    {children}
  </button>
);
