import { goldenRecord, type SurvivorRule, survivorRuleLabels, survivorRules, toText, type Value } from '@golden/core';
import { Merge, Undo2 } from 'lucide-react';
import { useMemo, useState } from 'react';
import { call } from '../api/client.ts';
import { type DuplicateGroup, type DuplicateSearch, useDo } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Select } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';
import { ProblemMessage } from '../parts/Messages.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';
import { percent, stateWords } from './said.ts';

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
export function Group({ group, search, usual, onUsual }: GroupProps) {
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
                      <OutsideLink href={one.url} className="hover:underline">
                        {one.title}
                      </OutsideLink>
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
            {group.state !== 'merging' && (
              <Button
                icon={<Undo2 size={15} strokeWidth={1.75} />}
                disabled={undo.isPending}
                onClick={() => undo.mutate(undefined)}
              >
                {group.state === 'different' ? 'They may be one after all' : 'Undo the merge'}
              </Button>
            )}
          </>
        )}
      </footer>
    </>
  );
}

/** What the golden record would hold, by the same rules the server merges by. */
export function chooseGolden(
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
