import {
  type FieldKind,
  FieldKindSchema,
  goldenRecord,
  kindLabels,
  type SurvivorRule,
  survivorRuleLabels,
  survivorRules,
  toText,
  type Value,
} from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { Download, FileUp, Merge, Search, Undo2 } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import {
  type DuplicateGroup,
  type DuplicateSearch,
  useConnections,
  useDo,
  useGroups,
  usePlaces,
  useSearches,
  useSearchFor,
  useSettings,
} from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { Drawer } from '../parts/Drawer.tsx';
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
          <EmptyState title="Nothing was searched yet.">
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

const percent = (value: number): string => `${Math.floor(value * 1000) / 10}%`;

function Found({ id, onAnew }: { readonly id: string; readonly onAnew: () => void }) {
  const search = useSearchFor(id).data;
  const [state, setState] = useState<'open' | 'settled'>('open');
  const groups = useGroups(id, state).data ?? [];
  const [asked, setAsked] = useState<string>();
  const [isAbove, setAbove] = useState(false);
  const [isFields, setFields] = useState(false);
  const [usual, setUsual] = useState<SurvivorRule>('newest');
  const stop = useDo(() => call('DELETE /api/duplicates/:id', { params: { id } }));
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
            ({(search.figures.shareOfPairs * 100).toPrecision(2)}% of all; about{' '}
            {(search.figures.estimatedLoss * 100).toFixed(1)}% of the true ones may be missed)
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
            Merge all above a line…
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
      <div className="grid min-h-0 flex-1 grid-cols-[clamp(220px,25vw,310px)_1fr]">
        <section aria-label="Groups" className="min-h-0 overflow-y-auto border-r border-line-1 px-2.5 py-2">
          <GroupList groups={groups} chosen={chosen?.id} onChoose={setAsked} />
          {groups.length === 0 && search.state === 'done' && (
            <p className="px-2.5 py-2 text-ink-2">
              {state === 'open'
                ? search.groups === 0
                  ? 'No duplicates were found.'
                  : 'All are settled.'
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
    'learning weights': 'Learning what says how much',
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

const stateWords: Record<DuplicateGroup['state'], string> = {
  open: '',
  merging: 'being merged',
  merged: 'merged',
  different: 'kept apart',
  undone: 'undone',
  unsure: 'needs a look',
};

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

interface GroupProps {
  readonly group: DuplicateGroup;
  readonly search: DuplicateSearch;
  readonly usual: SurvivorRule;
  readonly onUsual: (rule: SurvivorRule) => void;
}

const valueAt = (record: Readonly<Record<string, unknown>>, path: string): string =>
  toText(
    path
      .split('/')
      .slice(1)
      .reduce<unknown>(
        (part, name) =>
          (part as Record<string, unknown> | undefined)?.[name.replaceAll('~1', '/').replaceAll('~0', '~')],
        record,
      ) as Value,
  );

/** The records of a group side by side, and the golden record that they would become. */
function Group({ group, search, usual, onUsual }: GroupProps) {
  const [survivor, setSurvivor] = useState(group.survivor ?? group.records[0]?.id ?? '');
  const [byHand, setByHand] = useState<Readonly<Record<string, string>>>({});
  const fields = useMemo(
    () =>
      search.fields.filter(
        ({ path, isMerged }) => isMerged && group.records.some(({ record }) => valueAt(record, path) !== ''),
      ),
    [search.fields, group.records],
  );
  const golden = useMemo(() => chooseGolden(group, fields, usual, byHand), [group, fields, usual, byHand]);
  const settle = useDo((body: Parameters<typeof call<'POST /api/duplicates/groups/:id/settle'>>[1]['body']) =>
    call('POST /api/duplicates/groups/:id/settle', { params: { id: group.id }, body }),
  );
  const undo = useDo(
    () => call('POST /api/duplicates/groups/:id/undo', { params: { id: group.id } }),
    'Put back as it was.',
  );
  const isOpen = group.state === 'open';
  const merge = (): void => {
    if (isOpen && search.canMerge && !settle.isPending)
      settle.mutate({
        kind: 'merge',
        survivor,
        usual,
        choices: Object.fromEntries(Object.entries(byHand).map(([path, from]) => [path, { from }])),
      });
  };
  const apart = (): void => {
    if (isOpen && !settle.isPending) settle.mutate({ kind: 'different' });
  };
  useShortcuts({ s: merge, d: apart });
  return (
    <>
      <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
        {group.message && (
          <div className="mb-3">
            <ProblemMessage>{group.message}</ProblemMessage>
          </div>
        )}
        <div className="mb-2 flex flex-wrap items-center gap-2">
          <h2 className="text-xl">
            {group.isAsked ? 'Are these two one?' : `These ${group.records.length} are likely one`}
          </h2>
          <span className="text-ink-2">{percent(group.probability)} sure</span>
          {isOpen && search.canMerge && (
            <span className="ml-auto flex items-center gap-2">
              <span className="text-ink-2">In each field</span>
              <Select
                aria-label="Which value wins"
                value={usual}
                onChange={(event) => onUsual(event.target.value as SurvivorRule)}
                choices={survivorRules
                  .filter((rule) => rule !== 'trusted')
                  .map((rule) => ({ value: rule, label: survivorRuleLabels[rule] }))}
              />
              <span className="text-ink-2">wins</span>
            </span>
          )}
        </div>
        <table className="sheet">
          <thead>
            <tr>
              <th scope="col" className="w-[130px]">
                Field
              </th>
              {group.records.map((one) => (
                <th key={one.id} scope="col" className="min-w-[150px] align-top">
                  <span className="block truncate text-ink-1">
                    {one.url ? (
                      <a href={one.url} target="_blank" rel="noreferrer" className="hover:underline">
                        {one.title}
                      </a>
                    ) : (
                      one.title
                    )}
                  </span>
                  <span className="block font-normal">
                    <span className="font-mono">{one.id}</span>
                    {one.links > 0 && ` · ${counted(one.links, 'link')}`}
                  </span>
                  {search.canMerge && (
                    <label className="flex items-center gap-1.5 font-normal">
                      <input
                        type="radio"
                        name={`survivor ${group.id}`}
                        checked={survivor === one.id}
                        disabled={!isOpen}
                        onChange={() => setSurvivor(one.id)}
                        className="accent-pine"
                      />
                      stays
                    </label>
                  )}
                </th>
              ))}
              <th scope="col" className="min-w-[160px] bg-pine-tint! align-top text-pine!">
                The golden record
              </th>
            </tr>
          </thead>
          <tbody>
            {fields.map(({ path, label }) => {
              const won = golden[path];
              return (
                <tr key={path}>
                  <th scope="row" className="bg-sheet! font-normal!">
                    {label}
                  </th>
                  {group.records.map((one) => {
                    const value = valueAt(one.record, path);
                    const isWon = won?.from === one.id;
                    return (
                      <td key={one.id} className="p-0!">
                        <button
                          type="button"
                          disabled={!isOpen || !search.canMerge}
                          aria-pressed={isWon}
                          title={isOpen ? 'Take this value' : undefined}
                          onClick={() => setByHand({ ...byHand, [path]: one.id })}
                          className={`flex min-h-[31px] w-full items-center px-2.5 text-left disabled:cursor-default ${isWon ? 'bg-pine-faint font-medium' : ''}`}
                        >
                          {value || <em className="text-ink-3">empty</em>}
                        </button>
                      </td>
                    );
                  })}
                  <td className="bg-pine-faint">
                    {won ? won.value : <em className="text-ink-3">empty</em>}
                    {byHand[path] && <span className="ml-1.5 text-xs text-brass">by hand</span>}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {!search.canMerge && (
          <p className="mt-2 text-ink-2">
            Records of a file are merged where the file comes from. Export the groups and work from them.
          </p>
        )}
      </div>
      <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-5 py-3">
        {isOpen ? (
          <>
            {search.canMerge && (
              <Button
                look="main"
                icon={<Merge size={15} strokeWidth={1.75} />}
                disabled={settle.isPending}
                onClick={merge}
              >
                They are one: merge them <kbd className="key">S</kbd>
              </Button>
            )}
            <Button disabled={settle.isPending} onClick={apart}>
              They are different <kbd className="key">D</kbd>
            </Button>
            <span className="ml-auto text-sm text-ink-2">
              next <kbd className="key">J</kbd>
            </span>
          </>
        ) : (
          <>
            <span className="text-ink-2">{stateWords[group.state]}</span>
            <Button
              icon={<Undo2 size={15} strokeWidth={1.75} />}
              disabled={undo.isPending}
              onClick={() => undo.mutate(undefined)}
            >
              {group.state === 'different' ? 'They may be one after all' : 'Undo the merge'}
            </Button>
          </>
        )}
      </footer>
    </>
  );
}

/** What the golden record would hold, by the same rules the server merges by. */
function chooseGolden(
  group: DuplicateGroup,
  fields: DuplicateSearch['fields'],
  usual: SurvivorRule,
  byHand: Readonly<Record<string, string>>,
): Readonly<Record<string, { value: string; from: string }>> {
  const updated = (record: Readonly<Record<string, unknown>>): string => {
    const at = Object.entries(record).find(([name]) => /^(updated|modified)_?at$/i.test(name));
    return at ? String(at[1]) : '';
  };
  const { from, values } = goldenRecord(
    group.records.map(({ id, record }) => ({ id, record: record as never, updated: updated(record) })),
    fields,
    Object.fromEntries(Object.entries(byHand).map(([path, id]) => [path, { from: id }])),
    usual,
  );
  return Object.fromEntries(
    fields.flatMap(({ path }) =>
      from[path] === undefined ? [] : [[path, { value: toText(values[path]), from: from[path] }]],
    ),
  );
}

interface AboveProps {
  readonly id: string;
  readonly groups: readonly DuplicateGroup[];
  readonly usual: SurvivorRule;
  readonly onClose: () => void;
}

function AboveDialog({ id, groups, usual, onClose }: AboveProps) {
  const [line, setLine] = useState(99);
  const merge = useDo(async () => {
    const { merged, left } = await call('POST /api/duplicates/:id/settle-above', {
      params: { id },
      body: { line: line / 100, usual },
    });
    toast(
      `${counted(merged, 'group')} merged${left > 0 ? `, ${left} left with their reason` : ''}. Each can be undone.`,
    );
    onClose();
  });
  const count = groups.filter((one) => !one.isAsked && one.state === 'open' && one.probability >= line / 100).length;
  return (
    <ConfirmDialog
      title="Merge all above a line"
      isOpen
      onClose={onClose}
      isBusy={merge.isPending}
      confirm={merge.isPending ? 'Merging…' : `Merge ${counted(count, 'group')}`}
      onConfirm={() => count > 0 && merge.mutate(undefined)}
    >
      <label className="flex items-center gap-2">
        Groups that are at least
        <input
          type="number"
          min={50}
          max={99.9}
          step={0.1}
          value={line}
          onChange={(event) => setLine(Number(event.target.value))}
          className="h-[30px] w-[76px] rounded-md border border-line-input bg-raised px-2 text-right"
        />
        % sure
      </label>
      <p className="text-ink-2">
        In each field {survivorRuleLabels[usual]} wins; the most complete record stays, and what leads to the others
        leads to it. Pairs that are only asked are left.
      </p>
    </ConfirmDialog>
  );
}

function ExportButton({ id }: { readonly id: string }) {
  const save = useDo(async () => {
    const { name, text } = await call('GET /api/duplicates/:id/export', { params: { id } });
    const url = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
    const link = document.createElement('a');
    link.href = url;
    link.download = name;
    link.click();
    URL.revokeObjectURL(url);
  });
  return (
    <Button icon={<Download size={15} strokeWidth={1.75} />} onClick={() => save.mutate(undefined)}>
      CSV
    </Button>
  );
}

/** What each field was taken for, and why; another choice searches again. */
function FieldsDrawer({
  search,
  isOpen,
  onClose,
}: {
  readonly search: DuplicateSearch;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}) {
  return (
    <Drawer title="What was compared" isOpen={isOpen} onClose={onClose}>
      <table className="sheet border border-line-1">
        <thead>
          <tr>
            <th scope="col">Field</th>
            <th scope="col">Taken for</th>
            <th scope="col">Because</th>
          </tr>
        </thead>
        <tbody>
          {search.fields.map((field) => (
            <tr key={field.path}>
              <td>{field.label}</td>
              <td>{kindLabels[field.kind]}</td>
              <td className="text-ink-2">{field.because}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Drawer>
  );
}

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onBegun: (id: string) => void;
}

/** What to search: the records of a place, or a file. */
function NewSearch({ isOpen, onClose, onBegun }: NewProps) {
  const connections = useConnections().data ?? [];
  const [connection, setConnection] = useState('');
  const [path, setPath] = useState<readonly string[]>([]);
  const [labels, setLabels] = useState<readonly string[]>([]);
  const [isPlace, setPlace] = useState(false);
  const [kinds, setKinds] = useState<Readonly<Record<string, FieldKind>>>({});
  const first = useRef<HTMLInputElement>(null);
  const begin = useDo(async (body: Parameters<typeof call<'POST /api/duplicates'>>[1]['body']) => {
    const { id } = await call('POST /api/duplicates', { body });
    onBegun(id);
  });
  const name = connections.find((one) => one.id === connection)?.name ?? '';
  const takeFile = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const bytes = new Uint8Array(await file.arrayBuffer());
    let binary = '';
    for (let at = 0; at < bytes.length; at += 32_768) binary += String.fromCharCode(...bytes.subarray(at, at + 32_768));
    begin.mutate({ kind: 'file', name: file.name, bytes: btoa(binary) });
  };
  return (
    <Drawer
      title="Search for duplicates"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button
          look="main"
          disabled={!isPlace || begin.isPending}
          onClick={() =>
            begin.mutate({
              kind: 'place',
              place: { connection, path: [...path] },
              labels: [name, ...labels],
              kinds: { ...kinds },
            })
          }
        >
          Search
        </Button>
      }
    >
      <h3 className="mb-2 text-lg">The records of an app</h3>
      <div className="mb-3 flex flex-wrap gap-2">
        <Select
          aria-label="App"
          value={connection}
          onChange={(event) => {
            setConnection(event.target.value);
            setPath([]);
            setLabels([]);
            setPlace(false);
            setKinds({});
          }}
          choices={[
            { value: '', label: 'choose an app' },
            ...connections.map((one) => ({ value: one.id, label: one.name })),
          ]}
        />
        {connection &&
          [...path.keys(), path.length].map((depth) => (
            <Step
              key={`${connection} ${path.slice(0, depth).join('/')}`}
              connection={connection}
              above={path.slice(0, depth)}
              chosen={path[depth] ?? ''}
              isLast={isPlace && depth === path.length}
              onChoose={(id, label, isRecords) => {
                setPath([...path.slice(0, depth), id]);
                setLabels([...labels.slice(0, depth), label]);
                setPlace(isRecords);
              }}
            />
          ))}
      </div>
      {isPlace && <KindsOf connection={connection} path={path} kinds={kinds} onChange={setKinds} />}
      <h3 className="mt-5 mb-2 text-lg">Or a file</h3>
      <p className="mb-2 text-ink-2">
        A .csv or .xlsx file with the names of its columns in the first row. It is only read.
      </p>
      <input
        ref={first}
        type="file"
        accept=".csv,.xlsx"
        aria-label="A file"
        className="sr-only"
        onChange={(event) => void takeFile(event.target.files?.[0])}
      />
      <Button
        icon={<FileUp size={15} strokeWidth={1.75} />}
        disabled={begin.isPending}
        onClick={() => first.current?.click()}
      >
        Choose a file
      </Button>
    </Drawer>
  );
}

interface StepProps {
  readonly connection: string;
  readonly above: readonly string[];
  readonly chosen: string;
  readonly isLast: boolean;
  readonly onChoose: (id: string, label: string, isRecords: boolean) => void;
}

function Step({ connection, above, chosen, isLast, onChoose }: StepProps) {
  const places = usePlaces(isLast ? '' : connection, above);
  if (isLast) return null;
  if (places.error) return <ProblemMessage>{places.error.message}</ProblemMessage>;
  return (
    <Select
      aria-label={above.length === 0 ? 'Where in it' : 'Which there'}
      value={chosen}
      onChange={(event) => {
        const one = places.data?.find(({ id }) => id === event.target.value);
        if (one) onChoose(one.id, one.label, one.isPlace);
      }}
      choices={[
        { value: '', label: 'choose' },
        ...(places.data ?? []).map((one) => ({ value: one.id, label: one.label })),
      ]}
    />
  );
}

interface KindsProps {
  readonly connection: string;
  readonly path: readonly string[];
  readonly kinds: Readonly<Record<string, FieldKind>>;
  readonly onChange: (kinds: Readonly<Record<string, FieldKind>>) => void;
}

/** What the fields are, where somebody knows better than what is proposed from names and values. */
function KindsOf({ connection, path, kinds, onChange }: KindsProps) {
  const described = useQuery({
    queryKey: ['place', connection, ...path],
    queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path: [...path] } }),
    retry: false,
  }).data?.described;
  if (!described) return null;
  return (
    <details>
      <summary className="cursor-pointer text-pine">Say what the fields are</summary>
      <ul className="mt-2 grid gap-1">
        {described.fields
          .filter((field) => !field.fields && !field.readOnly)
          .map((field) => (
            <li key={field.path} className="flex items-center justify-between gap-2">
              <span className="truncate">{field.label}</span>
              <Select
                aria-label={`What ${field.label} is`}
                value={kinds[field.path] ?? ''}
                onChange={(event) => {
                  const { [field.path]: _old, ...others } = kinds;
                  onChange(event.target.value ? { ...others, [field.path]: event.target.value as FieldKind } : others);
                }}
                choices={[
                  { value: '', label: 'as proposed' },
                  ...FieldKindSchema.options.map((kind) => ({ value: kind, label: kindLabels[kind] })),
                ]}
              />
            </li>
          ))}
      </ul>
    </details>
  );
}

/** Every merge, the newest first; each can be undone. */
function MergesDrawer({
  isOpen,
  zone,
  onClose,
}: {
  readonly isOpen: boolean;
  readonly zone: string;
  readonly onClose: () => void;
}) {
  const merges =
    useQuery({ queryKey: ['duplicates', 'merges'], queryFn: () => call('GET /api/merges', {}), enabled: isOpen })
      .data ?? [];
  const connections = useConnections().data ?? [];
  const undo = useDo((id: string) => call('POST /api/merges/:id/undo', { params: { id } }), 'Put back as it was.');
  const words = {
    merging: 'under way',
    merged: 'merged',
    undoing: 'being undone',
    undone: 'undone',
    unsure: 'needs a look',
  };
  return (
    <Drawer title="What was merged" isOpen={isOpen} onClose={onClose} isWide>
      {merges.length === 0 && <p className="text-ink-2">Nothing was merged yet.</p>}
      <ul>
        {merges.map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line-2 py-2">
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium">{one.survivor.title ?? one.survivor.id}</span>
              <span className="block text-sm text-ink-2">
                {connections.find((each) => each.id === one.connectionId)?.name}, {one.place.join(' → ')} · with{' '}
                {one.others.join(', ')} · {formatInstant(one.madeAt, zone)} · {words[one.state]}
              </span>
              {one.message && <span className="block text-sm text-brick">{one.message}</span>}
            </span>
            {(one.state === 'merged' || one.state === 'unsure') && (
              <Button
                icon={<Undo2 size={15} strokeWidth={1.75} />}
                disabled={undo.isPending}
                onClick={() => undo.mutate(one.id)}
              >
                Undo
              </Button>
            )}
          </li>
        ))}
      </ul>
    </Drawer>
  );
}
