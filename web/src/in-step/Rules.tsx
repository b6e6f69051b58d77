import { type FieldOwner, type InStepSetting, isForGood, type Removal } from '@golden/core';
import { useId } from 'react';
import type { InStep } from '../api/queries.ts';
import { Select } from '../parts/Field.tsx';
import { ownerChoices, sideNames } from './words.ts';

interface RulesProps {
  readonly pair: InStep;
  readonly onChange: (setting: InStepSetting) => void;
}

/** What holds for the whole pair: the first time, what is emptied, what is removed. */
export function Rules({ pair, onChange }: RulesProps) {
  const { setting } = pair;
  const { here, there } = sideNames(pair);
  const firsts: Readonly<Record<FieldOwner, string>> = {
    ask: 'ask me about each difference',
    here: `${here}’s value goes over`,
    there: `${there}’s value goes over`,
    newer: 'that of the record that was changed last',
  };
  const owners = ownerChoices(pair);
  return (
    <div className="grid gap-x-8 gap-y-3 lg:grid-cols-2">
      <Rule label="Fields without a choice of their own">
        {(id) => (
          <Select
            id={id}
            value={setting.usual}
            onChange={(event) => onChange({ ...setting, usual: event.target.value as FieldOwner })}
            choices={owners}
          />
        )}
      </Rule>
      <Rule label="The first time, where both hold something else">
        {(id) => (
          <Select
            id={id}
            value={setting.first}
            onChange={(event) => onChange({ ...setting, first: event.target.value as FieldOwner })}
            choices={owners.map(({ value }) => ({ value, label: firsts[value] }))}
          />
        )}
      </Rule>
      <Rule label="What is emptied on one side">
        {(id) => (
          <Select
            id={id}
            value={setting.emptied}
            onChange={(event) => onChange({ ...setting, emptied: event.target.value as InStepSetting['emptied'] })}
            choices={[
              { value: 'refills', label: 'is filled again from the other side' },
              { value: 'empties', label: 'is emptied on the other side too' },
            ]}
          />
        )}
      </Rule>
      <span className="max-lg:hidden" />
      <RemovalRule pair={pair} side="here" onChange={onChange} />
      <RemovalRule pair={pair} side="there" onChange={onChange} />
    </div>
  );
}

function Rule({ label, children }: { readonly label: string; readonly children: (id: string) => React.ReactNode }) {
  const id = useId();
  return (
    <div>
      <label htmlFor={id} className="mb-1 block font-medium">
        {label}
      </label>
      {children(id)}
    </div>
  );
}

interface RemovalProps extends RulesProps {
  /** Where records are removed. */
  readonly side: 'here' | 'there';
}

function RemovalRule({ pair, side, onChange }: RemovalProps) {
  const { setting, retiring, removing } = pair;
  const names = sideNames(pair);
  const [from, other] = side === 'here' ? [names.here, names.there] : [names.there, names.here];
  const removal = setting.removed[side];
  const otherSide = side === 'here' ? 'there' : 'here';
  const fields = retiring[otherSide];
  const valueId = useId();
  const say = (next: Removal): void => onChange({ ...setting, removed: { ...setting.removed, [side]: next } });
  const marks = 'field' in removal ? removal : undefined;
  const chosen = fields.find(({ path }) => path === marks?.field);
  const first = fields.find(({ options }) => options.length > 0) ?? fields[0];
  const choose = (kind: Removal['kind']): void => {
    if (kind !== 'retire' && kind !== 'ask') {
      say({ kind });
      return;
    }
    const field = chosen ?? first;
    const value = marks?.value ?? retired(field) ?? '';
    if (field) say({ kind, field: field.path, value });
  };
  return (
    <Rule label={`A record is removed in ${from}`}>
      {(id) => (
        <div className="flex flex-wrap items-center gap-2">
          <Select
            id={id}
            value={removal.kind}
            onChange={(event) => choose(event.target.value as Removal['kind'])}
            choices={[
              { value: 'nothing', label: `nothing happens in ${other}` },
              ...(first
                ? [
                    { value: 'retire', label: `mark it in ${other}` },
                    { value: 'ask', label: `ask me, then mark it in ${other}` },
                  ]
                : []),
              ...(removing[otherSide] || isForGood(removal)
                ? [
                    { value: 'ask_to_remove', label: `ask me, then remove it for good in ${other}` },
                    { value: 'remove', label: `remove it for good in ${other}` },
                  ]
                : []),
            ]}
          />
          {marks && (
            <>
              <Select
                aria-label={`Field in ${other}`}
                value={marks.field}
                onChange={(event) => {
                  const field = fields.find(({ path }) => path === event.target.value);
                  say({ ...marks, field: event.target.value, value: retired(field) ?? '' });
                }}
                choices={fields.map(({ path, label }) => ({ value: path, label }))}
              />
              <span>=</span>
              {chosen && chosen.options.length > 0 ? (
                <Select
                  aria-label={`Value in ${other}`}
                  value={marks.value}
                  onChange={(event) => say({ ...marks, value: event.target.value })}
                  choices={chosen.options}
                />
              ) : (
                <input
                  id={valueId}
                  aria-label={`Value in ${other}`}
                  key={`${marks.field} ${marks.value}`}
                  defaultValue={marks.value}
                  placeholder="such as: left"
                  onBlur={(event) => event.target.value !== marks.value && say({ ...marks, value: event.target.value })}
                  className="h-[30px] w-40 rounded-md border border-line-input bg-raised px-2"
                />
              )}
            </>
          )}
          {removal.kind === 'remove' && (
            <p className="basis-full text-sm text-ink-2">
              You are asked where somebody has changed a shared field since. What only {other} holds goes too; undoing
              the run makes it again.
            </p>
          )}
        </div>
      )}
    </Rule>
  );
}

/** Of a field's values the one that says that something isn't used any more, or the last. */
function retired(field: InStep['retiring']['here'][number] | undefined): string | undefined {
  const options = field?.options ?? [];
  const said = options.find(({ value }) => /unsub|inactive|closed|archiv|former|left|cancel/i.test(value));
  return (said ?? options.at(-1))?.value;
}
