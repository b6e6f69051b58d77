import {
  type AtNone,
  type Field,
  type FieldKind,
  FieldKindSchema,
  fieldAt,
  kindLabels,
  kindOfField,
  type Ladder,
  type PlacedStep,
  pathsOfRung,
  proposeRungs,
  type RecordType,
  type Rung,
  ruleText,
  startId,
  usuallySure,
} from '@golden/core';
import { ArrowDown, ArrowUp, Plus, Sparkle, X } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { useIdentifiers } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Select } from '../../parts/Field.tsx';
import { percentText } from '../../parts/formats.ts';
import { useEditor } from '../draft/context.tsx';
import { AskChoice } from './AskChoice.tsx';
import { WeightsDrawer } from './WeightsDrawer.tsx';

interface EditorProps {
  readonly step: PlacedStep;
  readonly ladder: Ladder;
  readonly described: RecordType;
  readonly onChange: (ladder: Ladder) => void;
}

/** The ways to recognise a record, one below the other, and what happens at none and at several. */
export function LadderEditor({ step, ladder, described, onChange }: EditorProps) {
  const { rungs } = ladder;
  const put = (next: readonly Rung[]): void => onChange({ ...ladder, rungs: [...next] });
  const [isLearning, setLearning] = useState(false);
  const isFilled = (path: string): boolean => step.mapping[path] !== undefined;
  const newId = (): string => {
    let number = rungs.length + 1;
    while (rungs.some((rung) => rung.id === `way-${number}`)) number += 1;
    return `way-${number}`;
  };
  return (
    <div className="grid gap-1.5">
      <ol className="grid gap-1" aria-label="Ways to match it">
        {rungs.map((rung, at) => (
          <li key={rung.id} className="flex flex-wrap items-center gap-x-2 gap-y-1">
            <span className="w-[48px] shrink-0 whitespace-nowrap text-right text-ink-2">
              {at === 0 ? 'by' : 'then by'}
            </span>
            <RungEditor rung={rung} step={step} described={described} onChange={(next) => put(rungs.with(at, next))} />
            <span className="flex">
              <SmallButton label={`Move way ${at + 1} up`} isOff={at === 0} onClick={() => put(moved(rungs, at, -1))}>
                <ArrowUp size={14} />
              </SmallButton>
              <SmallButton
                label={`Move way ${at + 1} down`}
                isOff={at === rungs.length - 1}
                onClick={() => put(moved(rungs, at, 1))}
              >
                <ArrowDown size={14} />
              </SmallButton>
              <SmallButton label={`Remove way ${at + 1}`} onClick={() => put(rungs.toSpliced(at, 1))}>
                <X size={14} />
              </SmallButton>
            </span>
          </li>
        ))}
      </ol>
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 pl-[56px]">
        <AddWay
          described={described}
          connection={step.target?.connection ?? ''}
          path={step.target?.path ?? []}
          onAdd={(fields) =>
            put([
              ...rungs,
              fields === 'alike'
                ? { id: newId(), kind: 'alike', fields: alikeFields(described, isFilled) }
                : { id: newId(), kind: 'exact', fields },
            ])
          }
          mayCompare={alikeFields(described, isFilled).length > 0 && !rungs.some((rung) => rung.kind === 'alike')}
        />
        {rungs.length === 0 && (
          <Button
            icon={<Sparkle size={14} strokeWidth={1.75} />}
            onClick={() => put(proposeRungs(described, isFilled))}
          >
            Suggest ways
          </Button>
        )}
        {rungs.some((rung) => rung.kind === 'alike') && (
          <Button look="quiet" onClick={() => setLearning(true)}>
            Weights…
          </Button>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5 pt-1">
        <AtNoneChoice step={step} ladder={ladder} described={described} onChange={onChange} />
        <span className="inline-flex items-center gap-2">
          <span className="text-ink-2">If it isn’t clear which,</span>
          <Select
            aria-label="If it isn’t clear which"
            value={ladder.atUnclear}
            onChange={(event) => onChange({ ...ladder, atUnclear: event.target.value as Ladder['atUnclear'] })}
            choices={[
              { value: 'best', label: 'use the best match if it is clearly ahead, otherwise ask me' },
              { value: 'ask', label: 'always ask me' },
            ]}
          />
        </span>
        <RemembersChoice step={step} ladder={ladder} onChange={onChange} />
      </div>
      {(ladder.rules ?? []).length > 0 && (
        <ul className="pt-1 text-sm" aria-label="Rules">
          {ladder.rules?.map((rule) => (
            <li key={rule.id} className="flex items-center gap-2">
              <span className="font-serif text-md italic">{ruleText(rule)}.</span>
              <SmallButton
                label="Remove this rule"
                onClick={() => onChange({ ...ladder, rules: ladder.rules?.filter((one) => one.id !== rule.id) })}
              >
                <X size={14} />
              </SmallButton>
            </li>
          ))}
        </ul>
      )}
      <WeightsDrawer stepId={step.id} isOpen={isLearning} onClose={() => setLearning(false)} />
    </div>
  );
}

const moved = (rungs: readonly Rung[], at: number, by: number): Rung[] => {
  const rung = rungs[at] as Rung;
  return rungs.toSpliced(at, 1).toSpliced(at + by, 0, rung);
};

/** What can be compared for likeness: names, addresses and telephones of which something is known. */
function alikeFields(described: RecordType, isFilled: (path: string) => boolean): { path: string; kind: FieldKind }[] {
  const proposed = proposeRungs(described, isFilled).find((rung) => rung.kind === 'alike');
  return proposed?.kind === 'alike' ? proposed.fields : [];
}

interface SmallProps {
  readonly label: string;
  readonly isOff?: boolean;
  readonly onClick: () => void;
  readonly children: React.ReactNode;
}

function SmallButton({ label, isOff = false, onClick, children }: SmallProps) {
  return (
    <button
      type="button"
      aria-label={label}
      data-hint={label}
      disabled={isOff}
      onClick={onClick}
      className="flex size-6 items-center justify-center rounded-md text-ink-2 hover:bg-pine-faint disabled:opacity-40"
    >
      {children}
    </button>
  );
}

interface RungProps {
  readonly rung: Rung;
  readonly step: PlacedStep;
  readonly described: RecordType;
  readonly onChange: (rung: Rung) => void;
}

const labelOf = (described: RecordType, path: string): string =>
  fieldAt(described.fields, path)?.label ?? path.slice(1);

function RungEditor({ rung, step, described, onChange }: RungProps) {
  const labels = pathsOfRung(rung).map((path) => labelOf(described, path));
  return (
    <>
      <Popover.Root>
        <Popover.Trigger asChild>
          <button type="button" className="min-h-6 rounded-sm text-left hover:bg-pine-faint">
            {rung.kind === 'alike' && <span className="text-ink-2">similar </span>}
            <span className="underlined font-medium" data-hint={labels.join(', ')}>
              {rung.kind === 'exact' ? labels.join(' and ') : shortened(labels)}
            </span>
          </button>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={6}
            className="z-50 max-h-[380px] w-[360px] overflow-y-auto rounded-lg border border-line-1 bg-raised p-3 shadow-drawer"
          >
            {rung.kind === 'exact' ? (
              <ExactFields rung={rung} described={described} onChange={onChange} />
            ) : (
              <AlikeFields rung={rung} step={step} described={described} onChange={onChange} />
            )}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      <Select
        aria-label="What this way finds"
        value={rung.isAsked ? 'ask' : 'take'}
        onChange={(event) => onChange({ ...rung, isAsked: event.target.value === 'ask' ? true : undefined })}
        choices={[
          { value: 'take', label: rung.kind === 'exact' ? 'is used' : `is used from ${sureText(rung)}` },
          { value: 'ask', label: 'asks you each time' },
        ]}
      />
    </>
  );
}

/** The first few of many labels. */
const shortened = (labels: readonly string[]): string =>
  labels.length > 4 ? `${labels.slice(0, 3).join(', ')} and ${labels.length - 3} more` : labels.join(', ');

const sureText = (rung: Rung): string => percentText((rung.kind === 'alike' ? rung.sure : undefined) ?? usuallySure);

/** The fields that have to hold the same, up to four. */
function ExactFields({ rung, described, onChange }: Omit<RungProps, 'step'>) {
  if (rung.kind !== 'exact') return null;
  const fields = described.fields.filter((field) => !field.fields && field.type !== 'boolean');
  return (
    <fieldset>
      <legend className="mb-1.5 font-medium">All of these are the same</legend>
      {fields.map((field) => {
        const isOn = rung.fields.includes(field.path);
        return (
          <Tick
            key={field.path}
            label={field.label}
            isOn={isOn}
            isOff={(isOn && rung.fields.length === 1) || (!isOn && rung.fields.length === 4)}
            onChange={() =>
              onChange({
                ...rung,
                fields: isOn ? rung.fields.filter((path) => path !== field.path) : [...rung.fields, field.path],
              })
            }
          />
        );
      })}
    </fieldset>
  );
}

function Tick({
  label,
  isOn,
  isOff = false,
  onChange,
}: {
  readonly label: string;
  readonly isOn: boolean;
  readonly isOff?: boolean;
  readonly onChange: () => void;
}) {
  return (
    <label className="flex min-h-6 items-center gap-2">
      <input type="checkbox" checked={isOn} disabled={isOff} onChange={onChange} className="accent-pine" />
      {label}
    </label>
  );
}

/** The fields that are compared together, what each is, and from how sure on a record is taken. */
function AlikeFields({ rung, step, described, onChange }: RungProps) {
  if (rung.kind !== 'alike') return null;
  const fields = described.fields.filter((field) => step.mapping[field.path] && !field.fields);
  const kindOf = (path: string): FieldKind | undefined => rung.fields.find((one) => one.path === path)?.kind;
  const put = (field: Field, kind: FieldKind | undefined): void => {
    const others = rung.fields.filter((one) => one.path !== field.path);
    const next = kind === undefined ? others : [...others, { path: field.path, kind }];
    if (next.length > 0) onChange({ ...rung, fields: next });
  };
  return (
    <fieldset>
      <legend className="mb-1.5 font-medium">Compared together</legend>
      {fields.map((field) => {
        const kind = kindOf(field.path);
        const usual = kindOfField(field, described.singular);
        return (
          <div key={field.path} className="mb-1 flex items-center justify-between gap-2">
            <Tick
              label={field.label}
              isOn={kind !== undefined}
              onChange={() => put(field, kind === undefined ? (usual === 'ignore' ? 'text' : usual) : undefined)}
            />
            {kind !== undefined && (
              <Select
                aria-label={`What ${field.label} is`}
                value={kind}
                onChange={(event) => put(field, event.target.value as FieldKind)}
                choices={FieldKindSchema.options
                  .filter((one) => one !== 'ignore')
                  .map((one) => ({ value: one, label: kindLabels[one] }))}
              />
            )}
          </div>
        );
      })}
      <AskChoice sure={rung.sure} onChange={(sure) => onChange({ ...rung, sure })} />
    </fieldset>
  );
}

interface AddProps {
  readonly described: RecordType;
  readonly connection: string;
  readonly path: readonly string[];
  readonly mayCompare: boolean;
  readonly onAdd: (fields: string[] | 'alike') => void;
}

const fitWords = { fit: 'good to match by', weak: 'weak', unfit: 'shared by several records' } as const;

/** Another way: each field of the place with how well it tells its records apart. */
function AddWay({ described, connection, path, mayCompare, onAdd }: AddProps) {
  const [isOpen, setOpen] = useState(false);
  const identifiers = useIdentifiers(isOpen ? connection : '', path).data;
  const add = (fields: string[] | 'alike'): void => {
    setOpen(false);
    onAdd(fields);
  };
  const share = (value: number): string => `${Math.floor(value * 100)}%`;
  const rank = { fit: 0, weak: 1, unfit: 2 } as const;
  const shown = (identifiers?.fields ?? []).filter(
    (one) => one.filled > 0 && described.fields.some((field) => field.path === one.path),
  );
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button icon={<Plus size={14} />}>Add a way</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          className="z-50 max-h-[420px] w-[460px] overflow-y-auto rounded-lg border border-line-1 bg-raised p-3 shadow-drawer"
        >
          {mayCompare && (
            <button
              type="button"
              onClick={() => add('alike')}
              className="mb-2 block w-full rounded-md px-2 py-1.5 text-left hover:bg-pine-faint"
            >
              <span className="font-medium">By similar names and addresses</span>
              <span className="block text-sm text-ink-2">
                Typing slips, short forms and other spellings are recognised; how sure is said.
              </span>
            </button>
          )}
          <p className="mb-1 px-2 text-sm text-ink-2">
            {identifiers
              ? `Fields to match by, from ${identifiers.count} ${described.plural} there:`
              : 'Reading the records there…'}
          </p>
          <ul>
            {[...shown]
              .sort((a, b) => rank[a.fitness] - rank[b.fitness])
              .map((one) => (
                <li key={one.path}>
                  <button
                    type="button"
                    onClick={() => add([one.path])}
                    className="flex min-h-7 w-full items-center gap-2 rounded-md px-2 text-left hover:bg-pine-faint"
                  >
                    <span className="min-w-0 flex-1 truncate font-medium">{one.label}</span>
                    <span className="text-sm text-ink-2">
                      filled {share(one.filled)}, distinct {share(one.distinct)}
                    </span>
                    <span
                      className={`w-[116px] text-right text-sm ${one.fitness === 'fit' ? 'text-pine' : 'text-ink-2'}`}
                    >
                      {fitWords[one.fitness]}
                    </span>
                  </button>
                </li>
              ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function AtNoneChoice({ step, ladder, described, onChange }: EditorProps) {
  const words: Record<AtNone, string> = {
    create: `create the ${described.singular}`,
    empty: 'continue, with its fields empty',
    leave_out: 'leave the record out',
    ask: 'ask me',
  };
  const possible: AtNone[] =
    step.kind === 'write' ? ['create', 'leave_out', 'ask'] : ['create', 'empty', 'leave_out', 'ask'];
  return (
    <span className="inline-flex items-center gap-2">
      <span className="text-ink-2">If there is none,</span>
      <Select
        aria-label="If there is none"
        value={ladder.atNone}
        onChange={(event) => onChange({ ...ladder, atNone: event.target.value as AtNone })}
        choices={possible.map((value) => ({
          value,
          label: words[value],
          isOff: value === 'create' && !described.can.create,
        }))}
      />
    </span>
  );
}

/** Whose match is remembered, so that the next change goes straight to the right record. */
function RemembersChoice({ step, ladder, onChange }: Pick<EditorProps, 'step' | 'ladder' | 'onChange'>) {
  const { start } = useEditor().draft.content;
  const source = start.source?.described;
  if (!source) return null;
  const ids = source.fields.filter((field) => field.type === 'id' && field.idOf && !field.readOnly);
  const value = typeof ladder.remembers === 'object' ? ladder.remembers.path : (ladder.remembers ?? 'nothing');
  return (
    <span className="inline-flex items-center gap-2">
      <span className="text-ink-2">Remember</span>
      <Select
        aria-label="Whose match is remembered"
        value={value}
        onChange={(event) => {
          const chosen = event.target.value;
          const isPlain = chosen === 'start' || chosen === 'nothing';
          onChange({ ...ladder, remembers: isPlain ? chosen : { step: startId, path: chosen } });
        }}
        choices={[
          { value: 'start', label: `who this ${source.singular} is there` },
          ...ids.map((field) => ({ value: field.path, label: `who its ${field.label.replace(/ id$/, '')} is there` })),
          { value: 'nothing', label: 'nothing' },
        ]}
      />
      {step.kind === 'lookup' && ladder.remembers === undefined && <span className="sr-only">not chosen yet</span>}
    </span>
  );
}
