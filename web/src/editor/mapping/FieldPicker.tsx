import { type KnownField, profileField, type Ref, typeLabel } from '@golden/core';
import { Command } from 'cmdk';
import { useMemo, useState } from 'react';
import { inputLook } from '../../parts/Field.tsx';
import { recordsOf } from '../samples/occurring.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';

interface PickerProps {
  readonly known: readonly KnownField[];
  readonly samples: readonly SampleOnSheet[];
  /** What is likeliest: first while nothing is searched for. */
  readonly likely?: readonly Ref[];
  readonly onPick: (field: KnownField) => void;
  /** True where it was just opened to be typed into. */
  readonly isFocused?: boolean;
}

const nameOf = (ref: Ref): string => `${ref.step}${ref.path}`;

const none: readonly Ref[] = [];

/** A searchable list of the fields known here, each with its type, an example and how often it is filled. */
export function FieldPicker({ known, samples, likely = none, onPick, isFocused = false }: PickerProps) {
  const [search, setSearch] = useState('');
  const wanted = search.trim().toLowerCase();
  const found = useMemo(() => {
    const some = known.filter((one) => one.field.label.toLowerCase().includes(wanted));
    // What is called exactly so comes first: "id" before "paid at".
    const rank = ({ field, ref }: KnownField): number => {
      const at = likely.findIndex((one) => nameOf(one) === nameOf(ref));
      if (wanted === '') return at < 0 ? likely.length : at;
      const label = field.label.toLowerCase();
      return label === wanted ? 0 : label.startsWith(wanted) ? 1 : 2;
    };
    return some.sort((one, other) => rank(one) - rank(other));
  }, [known, wanted, likely]);
  const profiles = useMemo(
    () => new Map(known.map((one) => [nameOf(one.ref), profileField(recordsOf(samples, one.ref.step), one.field)])),
    [known, samples],
  );
  return (
    <Command shouldFilter={false} loop label="Search the fields">
      <Command.Input
        placeholder="Search the fields"
        value={search}
        onValueChange={setSearch}
        autoFocus={isFocused}
        className={`${inputLook} mb-1 w-[280px]`}
      />
      <Command.List label="Fields" className="max-h-[124px] overflow-y-auto rounded-md border border-line-1 bg-sheet">
        {found.map((one) => {
          const profile = profiles.get(nameOf(one.ref));
          return (
            <Command.Item
              key={nameOf(one.ref)}
              value={nameOf(one.ref)}
              onSelect={() => onPick(one)}
              className="grid cursor-pointer grid-cols-[minmax(120px,160px)_84px_1fr_76px] gap-2 px-2.5 py-1 data-[selected=true]:bg-pine-tint"
            >
              <span className="underlined truncate">{one.field.label}</span>
              <span className="truncate text-sm text-ink-2">{typeLabel(one.field)}</span>
              <span className="truncate text-ink-2">{profile?.examples[0] ?? '–'}</span>
              <span className="text-right text-sm text-ink-2">
                {profile && profile.count > 0 && `${Math.round(profile.filled * 100)}% filled`}
              </span>
            </Command.Item>
          );
        })}
        {found.length === 0 && <p className="px-2.5 py-1.5 text-ink-2">No fields match.</p>}
      </Command.List>
    </Command>
  );
}
