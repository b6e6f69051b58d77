import type { SurvivorRule } from '@golden/core';
import { Merge, Search, Undo2 } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import {
  type DuplicateGroup,
  type DuplicateSearch,
  useAction,
  useGroups,
  useSearches,
  useSearchFor,
  useSettings,
} from '../api/queries.ts';
import { AboveDialog, ExportButton, FieldsDrawer, MergesDrawer } from '../duplicates/drawers.tsx';
import { Group } from '../duplicates/Group.tsx';
import { percent, stateWords } from '../duplicates/labels.ts';
import { NewSearch } from '../duplicates/NewSearch.tsx';
import { Button } from '../parts/Button.tsx';
import { Select } from '../parts/Field.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';

/** Copies of one person or firm within a place: found, made one, or kept apart. */
export function DuplicatesPage() {
  const searches = useSearches();
  const [search, setSearch] = useSearchParams();
  const [drawer, setDrawer] = useState<'' | 'new' | 'merges'>('');
  const zone = useSettings().data?.zone ?? 'utc';
  const chosen = search.get('search') ?? searches.data?.[0]?.id ?? '';
  if (searches.error)
    return (
      <div className="p-6">
        <ProblemMessage>{searches.error.message}</ProblemMessage>
      </div>
    );
  if (!searches.data) return <Loading what="the searches" />;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-2 px-5 pt-4 pb-3">
        <h1 className="text-2xl">Duplicates</h1>
        {searches.data.length > 0 && (
          <Select
            aria-label="Which search"
            value={chosen}
            onChange={(event) => setSearch({ search: event.target.value })}
            choices={searches.data.map((one) => ({
              value: one.id,
              label: `${one.labels.join(', ')} · ${formatInstant(one.startedAt, zone)}`,
            }))}
          />
        )}
        <span className="ml-auto" />
        <Button look="quiet" icon={<Undo2 size={15} strokeWidth={1.75} />} onClick={() => setDrawer('merges')}>
          What was merged
        </Button>
        <Button
          look={searches.data.length === 0 ? 'main' : 'plain'}
          icon={<Search size={15} strokeWidth={1.75} />}
          onClick={() => setDrawer('new')}
        >
          Search for duplicates
        </Button>
      </header>
      {searches.data.length === 0 ? (
        <div className="p-5">
          <EmptyState title="No search yet.">
            Choose an app’s records, or a file. What is likely one and the same is put together, with how sure that is;
            nothing is changed until you say so.
          </EmptyState>
        </div>
      ) : (
        chosen && <Found key={chosen} id={chosen} onAnew={() => setDrawer('new')} />
      )}
      <NewSearch
        isOpen={drawer === 'new'}
        onClose={() => setDrawer('')}
        onBegun={(id) => {
          setDrawer('');
          setSearch({ search: id });
        }}
      />
      <MergesDrawer isOpen={drawer === 'merges'} zone={zone} onClose={() => setDrawer('')} />
    </div>
  );
}

function Found({ id, onAnew }: { readonly id: string; readonly onAnew: () => void }) {
  const search = useSearchFor(id).data;
  const [state, setState] = useState<'open' | 'settled'>('open');
  const found = useGroups(id, state);
  // What was shown before stands until the answer is there; it says nothing of the other list.
  const groups = found.isPlaceholderData ? [] : (found.data ?? []);
  const isKnown = found.data !== undefined && !found.isPlaceholderData;
  const [asked, setAsked] = useState<string>();
  const [isAbove, setAbove] = useState(false);
  const [isFields, setFields] = useState(false);
  const [usual, setUsual] = useState<SurvivorRule>('newest');
  const stop = useAction(() => call('DELETE /api/duplicates/:id', { params: { id } }));
  const last = useRef(0);
  const place = groups.findIndex((one) => one.id === asked);
  const at = place >= 0 ? place : Math.min(last.current, Math.max(0, groups.length - 1));
  useEffect(() => {
    last.current = at;
  }, [at]);
  const chosen = groups[at];
  const choose = (by: number): void => {
    const next = groups[Math.min(groups.length - 1, Math.max(0, at + by))];
    if (!next) return;
    setAsked(next.id);
    requestAnimationFrame(() =>
      document.querySelector(`[data-group="${CSS.escape(next.id)}"]`)?.scrollIntoView({ block: 'nearest' }),
    );
  };
  useShortcuts({ j: () => choose(1), k: () => choose(-1), arrowdown: () => choose(1), arrowup: () => choose(-1) });
  if (!search) return <Loading what="the search" />;
  if (search.state === 'running') return <UnderWay search={search} onStop={() => stop.mutate(undefined)} />;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-y border-line-1 bg-sheet px-5 py-2">
        {search.figures && (
          <p className="text-ink-2">
            {formatNumber(search.figures.records)} records, {formatNumber(search.figures.comparedPairs)} pairs compared
            ({(search.figures.shareOfPairs * 100).toPrecision(2)}% of all;{' '}
            {search.figures.estimatedLoss < 0.001
              ? 'under 0.1'
              : `about ${(search.figures.estimatedLoss * 100).toFixed(1)}`}
            % of the true ones may be missed)
          </p>
        )}
        <Button look="quiet" onClick={() => setFields(true)}>
          What was compared
        </Button>
        <span className="ml-auto" />
        {(['open', 'settled'] as const).map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={state === one}
            onClick={() => setState(one)}
            className={`min-h-6 rounded-sm px-2 ${state === one ? 'bg-pine-tint font-medium text-pine' : 'text-ink-2 hover:bg-pine-faint'}`}
          >
            {one === 'open' ? `${search.open} open` : `${search.groups - search.open} settled`}
          </button>
        ))}
        {search.canMerge && search.open > 0 && (
          <Button icon={<Merge size={15} strokeWidth={1.75} />} onClick={() => setAbove(true)}>
            Merge all that are sure enough…
          </Button>
        )}
        <ExportButton id={id} />
      </div>
      {search.state === 'broken' && (
        <div className="px-5 py-3">
          <ProblemMessage>{search.message}</ProblemMessage>
        </div>
      )}
      {search.state === 'stopped' && (
        <div className="p-5">
          <EmptyState title="This search was stopped." action={<Button onClick={onAnew}>Search again</Button>} />
        </div>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[clamp(220px,25vw,310px)_minmax(0,1fr)] max-md:grid-cols-[minmax(0,1fr)] max-md:grid-rows-[minmax(0,30vh)_minmax(0,1fr)]">
        <section aria-label="Groups" className="min-h-0 overflow-y-auto border-r border-line-1 px-2.5 py-2">
          <GroupList groups={groups} chosen={chosen?.id} onChoose={setAsked} />
          {!isKnown && <Loading what="the groups" />}
          {isKnown && groups.length === 0 && search.state === 'done' && (
            <p className="px-2.5 py-2 text-ink-2">
              {state === 'open'
                ? search.groups === 0
                  ? 'No duplicates were found.'
                  : search.open === 0
                    ? 'All are settled.'
                    : 'They are being looked up…'
                : 'Nothing is settled yet.'}
            </p>
          )}
        </section>
        <section aria-label="The group" className="flex min-h-0 min-w-0 flex-col bg-sheet">
          {chosen && <Group key={chosen.id} group={chosen} search={search} usual={usual} onUsual={setUsual} />}
        </section>
      </div>
      {isAbove && <AboveDialog id={id} groups={groups} usual={usual} onClose={() => setAbove(false)} />}
      <FieldsDrawer search={search} isOpen={isFields} onClose={() => setFields(false)} />
    </>
  );
}

function UnderWay({ search, onStop }: { readonly search: DuplicateSearch; readonly onStop: () => void }) {
  const { progress } = search;
  const share = progress && progress.of > 0 ? progress.done / progress.of : 0;
  const words = {
    'finding pairs': 'Finding pairs worth comparing',
    'learning weights': 'Learning how much each field counts',
    'weighing pairs': 'Comparing',
    grouping: 'Putting together',
  };
  return (
    <div className="px-5 py-6" role="status">
      <p className="mb-2 text-md">{progress ? words[progress.phase] : 'Reading the records'}…</p>
      <div className="mb-3 h-2 w-[min(420px,80%)] overflow-hidden rounded-sm bg-line-2">
        <div className="h-full bg-pine" style={{ width: `${Math.round(share * 100)}%` }} />
      </div>
      <Button onClick={onStop}>Stop</Button>
    </div>
  );
}

interface ListProps {
  readonly groups: readonly DuplicateGroup[];
  readonly chosen: string | undefined;
  readonly onChoose: (id: string) => void;
}

function GroupList({ groups, chosen, onChoose }: ListProps) {
  return (
    <ul>
      {groups.map((group) => (
        <li key={group.id}>
          <button
            type="button"
            data-group={group.id}
            aria-current={group.id === chosen}
            onClick={() => onChoose(group.id)}
            className={`flex w-full items-center gap-2.5 rounded-lg border px-2.5 py-1.5 text-left ${group.id === chosen ? 'border-line-1 bg-sheet' : 'border-transparent hover:bg-pine-faint'}`}
          >
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium">{group.records[0]?.title}</span>
              <span className="block truncate text-sm text-ink-2">
                {group.isAsked ? 'two that may be one' : counted(group.records.length, 'record')}
                {stateWords[group.state] && ` · ${stateWords[group.state]}`}
              </span>
            </span>
            <span
              className={`shrink-0 rounded-sm px-1.5 text-sm ${group.isAsked ? 'bg-brass-tint text-brass' : 'bg-pine-tint text-pine'}`}
            >
              {percent(group.probability)}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}
