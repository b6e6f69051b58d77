import { useState } from 'react';
import { Link } from 'react-router';
import { call } from '../../api/client.ts';
import { type TextTemplateView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { formatNumber } from '../../parts/formats.ts';
import { bracesList } from './words.ts';

type Use = TextTemplateView['uses'][number];

interface UsesProps {
  readonly text: TextTemplateView;
  readonly isBusy: boolean;
  readonly onPut: (workflows: readonly string[]) => void;
}

/** Where a template is used: which drafts get its newest words, and what becomes of those who still wait for older ones. */
export function TemplateUses({ text, isBusy, onPut }: UsesProps) {
  const behind = text.uses.filter(({ draft }) => draft !== null && draft < text.version);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const chosen = behind.filter(({ id }) => !left.has(id));
  const turn = (id: string): void => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };
  if (text.uses.length === 0) return <p className="mt-5 text-ink-2">No workflow uses it yet.</p>;
  return (
    <section aria-label="Where it is used" className="mt-6">
      <h3 className="mb-1 font-sans font-semibold">Where it is used</h3>
      <ul className="divide-y divide-line-1 rounded-md border border-line-1">
        {text.uses.map((use) => (
          <li key={use.id} className="px-3 py-2.5">
            <OneUse
              use={use}
              newest={text.version}
              isChosen={behind.includes(use) ? !left.has(use.id) : undefined}
              onTurn={() => turn(use.id)}
            />
          </li>
        ))}
      </ul>
      {behind.length > 0 && (
        <Button
          className="mt-3"
          disabled={isBusy || chosen.length === 0}
          onClick={() => onPut(chosen.map(({ id }) => id))}
        >
          Put version {text.version} into {chosen.length === 1 ? 'this draft' : `these ${chosen.length} drafts`}
        </Button>
      )}
    </section>
  );
}

interface OneProps {
  readonly use: Use;
  readonly newest: number;
  /** Whether its draft gets the newest words; undefined where it has them. */
  readonly isChosen: boolean | undefined;
  readonly onTurn: () => void;
}

function OneUse({ use, newest, isChosen, onTurn }: OneProps) {
  const hold = useAction(
    async () => call('POST /api/workflows/:id/off', { params: { id: use.id }, query: { waiting: 'held' } }),
    'Off. Those who wait are held until it is on again.',
  );
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-x-3">
        <span className="flex items-baseline gap-2">
          {isChosen !== undefined && (
            <input
              type="checkbox"
              className="accent-pine"
              aria-label={`New words for the draft of ${use.name}`}
              checked={isChosen}
              onChange={onTurn}
            />
          )}
          <Link to={`/workflows/${use.id}`}>{use.name}</Link>
        </span>
        <span className="text-ink-2">
          {[
            use.draft !== null && `draft: version ${use.draft}`,
            use.live !== null && `${use.isOn ? 'live' : 'off'}: version ${use.live}`,
          ]
            .filter(Boolean)
            .join(', ')}
        </span>
      </div>
      {use.lacking.length > 0 && (
        <p className="mt-1 text-brass">It has no {bracesList(use.lacking)}: it would be sent as it stands.</p>
      )}
      {use.waiting > 0 && (
        <div className="mt-1 flex flex-wrap items-center justify-between gap-2">
          <p className="max-w-[52ch] text-ink-2">
            <strong className="font-semibold text-ink-1">
              {use.waiting === 1 ? '1 record still waits' : `${formatNumber(use.waiting)} records still wait`}
            </strong>{' '}
            for it in older words, and gets those. When you make version {newest} live, you choose who goes on with it.
          </p>
          {use.isOn && (
            <Button
              look="quiet"
              disabled={hold.isPending}
              aria-label={`Hold those who wait in ${use.name}`}
              onClick={() => hold.mutate(undefined)}
            >
              Hold them until then
            </Button>
          )}
        </div>
      )}
    </>
  );
}
