import { type SurvivorRule, survivorRuleLabels, survivorRules } from '@golden/core';
import { useMemo, useState } from 'react';
import { call } from '../api/client.ts';
import { type DuplicateGroup, type DuplicateSearch, useAction } from '../api/queries.ts';
import { Select } from '../parts/Field.tsx';
import { ProblemMessage } from '../parts/Messages.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';
import { GroupFooter } from './GroupFooter.tsx';
import { GroupTable } from './GroupTable.tsx';
import { chooseGolden, valueAt } from './golden.ts';
import { percent } from './labels.ts';

interface GroupProps {
  readonly group: DuplicateGroup;
  readonly search: DuplicateSearch;
  readonly usual: SurvivorRule;
  readonly onUsual: (rule: SurvivorRule) => void;
}

/** One group: its records, the golden record, and what becomes of them. */
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
  const settle = useAction((body: Parameters<typeof call<'POST /api/duplicates/groups/:id/settle'>>[1]['body']) =>
    call('POST /api/duplicates/groups/:id/settle', { params: { id: group.id }, body }),
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
            {group.isAsked ? 'Are these two the same?' : `These ${group.records.length} are probably the same`}
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
        <GroupTable
          group={group}
          fields={fields}
          canMerge={search.canMerge}
          survivor={survivor}
          golden={golden}
          byHand={byHand}
          onSurvivor={setSurvivor}
          onTake={(path, from) => setByHand({ ...byHand, [path]: from })}
        />
        {!search.canMerge && (
          <p className="mt-2 text-ink-2">
            Records of a file are merged in the program the file comes from. Export the groups and work from them.
          </p>
        )}
      </div>
      <GroupFooter group={group} canMerge={search.canMerge} isBusy={settle.isPending} onMerge={merge} onApart={apart} />
    </>
  );
}
