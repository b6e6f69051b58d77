import {
  type Cell,
  conceptOf,
  type EvaluationContext,
  type Field,
  type Filling,
  fillingText,
  type KnownField,
  type LinesFilling,
  linkParts,
  mapField,
  type NamedField,
  type Reading,
  type Ref,
  type RowRemark,
  refKey,
  refsOf,
  type Scope,
  type Suggestion,
  type TextPart,
  type Tidy,
  type TidyKind,
  tidyLabel,
  type Unread,
  unreadChoices,
} from '@golden/core';
import { CircleAlert, Plus, Sparkle, X } from 'lucide-react';
import { type ReactNode, useId, useMemo, useRef, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { FormulaFilling } from '../formula/FormulaFilling.tsx';
import { FieldPicker } from '../mapping/FieldPicker.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { LetterFilling } from './LetterFilling.tsx';
import { OptionsEditor } from './OptionsEditor.tsx';
import { canTurn, type FillingKind, turned } from './turn.ts';

/** One record, or one line of it, that a filling is shown for. */
export interface FilledScope {
  readonly scope: Scope;
  readonly around: EvaluationContext;
}

interface EditorProps {
  readonly field: Field;
  readonly filling: Filling | undefined;
  readonly put: (filling: Filling | undefined) => void;
  /** The fields that can be used here, with their names in formulas. */
  readonly names: readonly NamedField[];
  /** What it is filled for: the samples, or their lines. */
  readonly scopes: readonly FilledScope[];
  readonly samples: readonly SampleOnSheet[];
  readonly around: EvaluationContext;
  readonly remarks: readonly RowRemark[];
  readonly onFix: (ref: Ref, reading: Reading) => void;
  /** What could be proposed while it is not filled. */
  readonly suggestion?: Suggestion | undefined;
  /** Why the filling was proposed, while nobody has accepted it. */
  readonly reason?: string | undefined;
  readonly onAccept?: () => void;
  readonly onPropose?: () => void;
  /** What a person noted beside the field, where that is kept. */
  readonly note?: string;
  readonly onNote?: (note: string) => void;
  /** What else can be done, beside the ways of filling it. */
  readonly aside?: ReactNode;
  /** What else can be said of the field. */
  readonly children?: ReactNode;
  /** Opens the sheet of the lines. */
  readonly onOpenLines?: () => void;
}

/** How the chosen field is filled: its source fields, words, choices, formula and tidies, below the sheet. */
export function FillingEditor(props: EditorProps) {
  const { field, filling, put, names, scopes, samples, around, remarks, suggestion, reason, note } = props;
  const { draft, version } = useEditor();
  const known = useMemo(() => names.map((one) => one.known), [names]);
  const plain = useMemo(() => scopes.map((one) => one.scope), [scopes]);
  // Turned back, each way finds what it had.
  const kept = useRef(new Map<FillingKind, Filling>());
  const isList = field.type === 'list' && field.fields !== undefined;
  const kinds: { kind: FillingKind; text: string }[] = [
    { kind: 'none', text: 'not filled' },
    ...(isList ? [{ kind: 'lines' as const, text: 'lines' }] : []),
    { kind: 'field', text: 'a field' },
    { kind: 'text', text: 'text with fields' },
    ...(field.options ? [{ kind: 'choice' as const, text: 'a choice' }] : []),
    { kind: 'options', text: 'a table' },
    { kind: 'formula', text: 'a formula' },
    { kind: 'fixed', text: 'a fixed value' },
  ];
  const shownKind = filling?.kind ?? 'none';
  // A letter is written as it goes out.
  const hasTidies = filling?.kind === 'field' || (filling?.kind === 'text' && !field.isLong);
  const turn = (kind: FillingKind): void => {
    if (filling) kept.current.set(filling.kind, filling);
    put(kept.current.get(kind) ?? turned(kind, filling, { field, names, known, scopes: plain }));
  };
  return (
    <section aria-label={`Filling of ${field.label}`} data-filling-editor className="shrink-0 bg-paper px-5 py-1.5">
      {/* Stays in sight where a search below it is scrolled to. */}
      <div className="sticky top-0 z-10 flex flex-wrap items-center gap-x-4 gap-y-1 bg-paper">
        <h3 className="font-sans font-semibold">
          {field.label}
          {field.standardName && <span className="ml-1.5 text-sm font-normal text-ink-3">{field.standardName}</span>}
        </h3>
        <fieldset className="flex flex-wrap items-center gap-0.5">
          <legend className="sr-only">How it is filled</legend>
          {kinds.map(({ kind, text }) => {
            const isOn = shownKind === kind;
            const isPossible = canTurn(kind, filling) || kept.current.has(kind);
            return (
              <button
                key={kind}
                type="button"
                aria-pressed={isOn}
                disabled={!isPossible}
                data-hint={
                  isPossible ? undefined : 'This formula does more than that. Clear it first, or keep the formula.'
                }
                onClick={() => turn(kind)}
                className={`rounded-md px-2 py-1 disabled:text-ink-3 disabled:opacity-60 ${isOn ? 'bg-pine-tint font-medium text-pine' : 'text-ink-2 hover:bg-pine-faint'}`}
              >
                {text}
              </button>
            );
          })}
        </fieldset>
        {props.aside}
        <Summary {...props} />
      </div>
      {props.children}
      {reason && (
        <p className="mt-1.5 flex flex-wrap items-center gap-2 text-brass">
          <span>Suggested: {reason}.</span>
          <Button onClick={props.onAccept}>
            Accept <kbd className="key">Y</kbd>
          </Button>
          <Button look="quiet" onClick={() => put(undefined)}>
            Clear
          </Button>
        </p>
      )}
      {!filling && suggestion && (
        <p className="mt-1.5 flex flex-wrap items-center gap-2">
          <Button icon={<Sparkle size={14} strokeWidth={1.75} />} onClick={props.onPropose}>
            Suggest {fillingText(draft.content, suggestion.filling, version.locale)}
          </Button>
          <span className="text-ink-2">{suggestion.reason}</span>
        </p>
      )}
      <Remarks remarks={remarks} onFix={props.onFix} />
      <FixedReading filling={filling} around={around} onFix={props.onFix} />
      <div className="mt-1.5 flex flex-wrap items-start gap-x-6 gap-y-2 p-0.5">
        <div className="min-w-[280px] flex-1">
          <Body
            filling={filling}
            field={field}
            names={names}
            known={known}
            samples={samples}
            scopes={plain}
            onChange={put}
            onOpenLines={props.onOpenLines}
          />
        </div>
        {hasTidies ? (
          <div className="w-[300px] space-y-1.5">
            <Tidies
              tidies={filling.tidies}
              around={around}
              names={names}
              unread={filling.unread}
              onChange={(tidies) => put({ ...filling, tidies })}
              onUnread={(unread) => put({ ...filling, unread })}
            />
            {props.onNote && <NoteField key={field.path} note={note ?? ''} onKeep={props.onNote} />}
          </div>
        ) : (
          props.onNote && (
            <div className="w-full">
              <NoteField key={field.path} note={note ?? ''} onKeep={props.onNote} />
            </div>
          )
        )}
      </div>
    </section>
  );
}

/** What the samples together show, with the fix where one choice settles it for the field. */
function Remarks({ remarks, onFix }: Pick<EditorProps, 'remarks' | 'onFix'>) {
  return remarks.map((remark) => (
    <p key={remark.message} className="mt-1.5 flex flex-wrap items-center gap-2 text-brass">
      <CircleAlert size={14} strokeWidth={1.75} aria-hidden="true" />
      <span>{remark.message}</span>
      {(remark.kind === 'order_unclear' || remark.kind === 'order_mixed') && remark.ref && (
        <>
          <Button onClick={() => remark.ref && onFix(remark.ref, { dates: 'day_first' })}>Day first</Button>
          <Button onClick={() => remark.ref && onFix(remark.ref, { dates: 'month_first' })}>Month first</Button>
        </>
      )}
      {remark.kind === 'mark_unclear' && remark.ref && (
        <>
          <Button onClick={() => remark.ref && onFix(remark.ref, { decimal: 'point' })}>Point before decimals</Button>
          <Button onClick={() => remark.ref && onFix(remark.ref, { decimal: 'comma' })}>Comma before decimals</Button>
        </>
      )}
    </p>
  ));
}

const readingWords = (reading: Reading): string =>
  [
    reading.dates && `dates with the ${reading.dates === 'day_first' ? 'day' : 'month'} first`,
    reading.decimal && `numbers with a ${reading.decimal} before decimals`,
  ]
    .filter(Boolean)
    .join(', ');

/** How a person fixed the reading of the source field, and the way back. */
function FixedReading({ filling, around, onFix }: Pick<EditorProps, 'filling' | 'around' | 'onFix'>) {
  const ref = filling && refsOf(filling).find((one) => one.step === 'start' && around.readings?.[one.path]);
  const words = ref ? readingWords(around.readings?.[ref.path] ?? {}) : '';
  if (!ref || words === '') return null;
  return (
    <p className="mt-1.5 flex flex-wrap items-center gap-2 text-sm text-ink-2">
      This field is read everywhere: {words}.
      <Button look="quiet" onClick={() => onFix(ref, { dates: undefined, decimal: undefined })}>
        Use country default
      </Button>
    </p>
  );
}

/** What a person notes beside a field; it goes into the table for review. */
function NoteField({ note, onKeep }: { readonly note: string; readonly onKeep: (note: string) => void }) {
  return (
    <input
      aria-label="Note on this field"
      placeholder="A note on this field"
      defaultValue={note}
      maxLength={500}
      onBlur={(event) => event.currentTarget.value.trim() !== note && onKeep(event.currentTarget.value.trim())}
      className="h-[26px] w-full max-w-[480px] rounded-md border border-transparent bg-transparent px-2 font-serif text-ink-2 italic placeholder:text-ink-3 hover:border-line-1 focus:border-line-input focus:bg-raised"
    />
  );
}

interface BodyProps {
  readonly filling: Filling | undefined;
  readonly field: Field;
  readonly names: readonly NamedField[];
  readonly known: readonly KnownField[];
  readonly samples: readonly SampleOnSheet[];
  readonly scopes: readonly Scope[];
  readonly onChange: (filling: Filling) => void;
  readonly onOpenLines?: (() => void) | undefined;
}

function Body(props: BodyProps) {
  const { filling, field, names, known, samples, scopes, onChange } = props;
  const [isPicking, setPicking] = useState(false);
  if (field.isLong && (filling === undefined || filling.kind === 'text'))
    return (
      <LetterFilling
        key={field.path}
        filling={filling ?? emptyText}
        label={`Text of ${field.label}`}
        names={names}
        samples={samples}
        onChange={onChange}
      />
    );
  if (!filling || (filling.kind === 'field' && isPicking)) {
    return (
      <FieldPicker
        known={known}
        samples={samples}
        onPick={(one) => {
          setPicking(false);
          onChange({ kind: 'field', ref: one.ref, tidies: filling?.kind === 'field' ? filling.tidies : [] });
        }}
      />
    );
  }
  if (filling.kind === 'field') {
    const one = known.find((each) => each.ref.step === filling.ref.step && each.ref.path === filling.ref.path);
    return (
      <p className="flex items-center gap-2">
        <span className="underlined font-medium">{one?.field.label ?? filling.ref.path}</span>
        <span className="text-sm text-ink-2">of the {one?.from ?? 'record, not known here'}</span>
        <Button onClick={() => setPicking(true)}>Add a field</Button>
      </p>
    );
  }
  if (filling.kind === 'text')
    return <TextParts filling={filling} known={known} samples={samples} onChange={onChange} />;
  if (filling.kind === 'formula')
    return (
      <FormulaFilling
        key={field.path}
        formula={filling}
        names={names}
        label={`Formula of ${field.label}`}
        onChange={(formula) => onChange({ kind: 'formula', ...formula })}
      />
    );
  if (filling.kind === 'options')
    return (
      <OptionsEditor
        filling={filling}
        field={field}
        known={known}
        samples={samples}
        scopes={scopes}
        onChange={onChange}
      />
    );
  if (filling.kind === 'lines')
    return <LinesChoice filling={filling} names={names} onChange={onChange} onOpen={props.onOpenLines} />;
  if (filling.kind === 'choice') {
    return (
      <Select
        aria-label="The choice"
        value={filling.value}
        onChange={(event) => onChange({ kind: 'choice', value: event.target.value })}
        choices={(field.options ?? []).map((option) => ({ value: option.value, label: option.label }))}
      />
    );
  }
  return (
    <>
      <input
        aria-label="The fixed value"
        value={filling.value}
        onChange={(event) => onChange({ kind: 'fixed', value: event.target.value })}
        className={`${inputLook} w-[320px]`}
      />
      <IdsInLink text={filling.value} onTake={(value) => onChange({ kind: 'fixed', value })} />
    </>
  );
}

/** Of a link that was pasted the id alone can be taken: of a board, a folder, a list. */
function IdsInLink({ text, onTake }: { readonly text: string; readonly onTake: (id: string) => void }) {
  const parts = linkParts(text).slice(0, 3);
  if (parts.length === 0) return null;
  return (
    <p className="mt-1 flex flex-wrap items-center gap-1.5 text-sm text-ink-2">
      Take only the id out of this link:
      {parts.map((part) => (
        <Button key={part} onClick={() => onTake(part)}>
          {part}
        </Button>
      ))}
    </p>
  );
}

const emptyText: Extract<Filling, { kind: 'text' }> = { kind: 'text', parts: [], tidies: [] };

interface PartsProps {
  readonly filling: Extract<Filling, { kind: 'text' }>;
  readonly known: readonly KnownField[];
  readonly samples: readonly SampleOnSheet[];
  readonly onChange: (filling: Filling) => void;
}

function TextParts({ filling, known, samples, onChange }: PartsProps) {
  const [isPicking, setPicking] = useState(filling.parts.length === 0);
  const put = (parts: readonly TextPart[]): void => onChange({ ...filling, parts: [...parts] });
  const { parts } = filling;
  return (
    <div>
      <div className="flex flex-wrap items-center gap-1">
        {parts.map((part, at) => (
          // Parts have no identity of their own; their order is the text.
          // biome-ignore lint/suspicious/noArrayIndexKey: see above
          <span key={at} className="inline-flex items-center">
            {part.kind === 'words' ? (
              <input
                aria-label="Words"
                value={part.text}
                onChange={(event) => put(parts.with(at, { kind: 'words', text: event.target.value }))}
                style={{ width: `${Math.max(3, part.text.length + 2)}ch` }}
                className={`${inputLook} font-mono`}
              />
            ) : (
              <span className="underlined px-1 font-medium">
                {known.find((one) => one.ref.step === part.ref.step && one.ref.path === part.ref.path)?.field.label ??
                  part.ref.path}
              </span>
            )}
            <button
              type="button"
              aria-label="Remove this part"
              onClick={() => put(parts.toSpliced(at, 1))}
              className="rounded-sm p-1.5 text-ink-2 hover:bg-pine-tint"
            >
              <X size={13} />
            </button>
          </span>
        ))}
        <Button
          look="quiet"
          icon={<Plus size={14} />}
          onClick={() => put([...parts, { kind: 'words', text: parts.length > 0 ? ' ' : '' }])}
        >
          words
        </Button>
        <Button look="quiet" icon={<Plus size={14} />} aria-expanded={isPicking} onClick={() => setPicking(!isPicking)}>
          field
        </Button>
      </div>
      {isPicking && (
        <FieldPicker
          known={known}
          samples={samples}
          onPick={(one) => {
            setPicking(false);
            put([...parts, { kind: 'field', ref: one.ref }]);
          }}
        />
      )}
    </div>
  );
}

const offered: readonly Tidy[] = [
  { kind: 'trim' },
  { kind: 'squeeze' },
  { kind: 'lower' },
  { kind: 'upper' },
  { kind: 'title' },
  { kind: 'phone' },
  { kind: 'date' },
];

const unreadWords: Record<Unread, string> = { ask: 'ask me', empty: 'leave it empty', keep: 'keep it as it is' };

/** Tidies to switch on, done in the order they were chosen. */
function Tidies({
  tidies,
  around,
  names,
  onChange,
  unread,
  onUnread,
}: {
  readonly tidies: readonly Tidy[];
  readonly around: EvaluationContext;
  readonly names: readonly NamedField[];
  readonly onChange: (tidies: Tidy[]) => void;
  readonly unread: Unread | undefined;
  readonly onUnread: (unread: Unread) => void;
}) {
  const id = useId();
  const has = (kind: TidyKind): boolean => tidies.some((tidy) => tidy.kind === kind);
  const without = (kind: TidyKind): Tidy[] => tidies.filter((tidy) => tidy.kind !== kind);
  const standIn = tidies.find((tidy) => tidy.kind === 'default');
  const phone = tidies.find((tidy) => tidy.kind === 'phone');
  const countries = names.filter(
    ({ known: { field } }) => field.type === 'country' || conceptOf(field.label) === 'country',
  );
  return (
    <fieldset className="w-[300px]">
      <legend className="mb-1 text-sm text-ink-2">Tidy</legend>
      <div className="flex flex-wrap gap-1">
        {offered.map((tidy) => (
          <button
            key={tidy.kind}
            type="button"
            aria-pressed={has(tidy.kind)}
            onClick={() => onChange(has(tidy.kind) ? without(tidy.kind) : [...tidies, tidy])}
            className={`min-h-6 rounded-sm border px-1.5 text-sm ${has(tidy.kind) ? 'border-pine bg-pine-tint text-pine' : 'border-line-1 bg-raised text-ink-2 hover:bg-pine-faint'}`}
          >
            {tidyLabel(tidy, around)}
          </button>
        ))}
      </div>
      {phone && countries.length > 0 && (
        <label htmlFor={`${id}-country`} className="mt-1.5 flex items-center gap-2 text-sm text-ink-2">
          country
          <Select
            id={`${id}-country`}
            className="h-[26px] max-w-[190px]"
            value={phone.countryFrom ? refKey(phone.countryFrom) : ''}
            onChange={(event) => {
              const chosen = countries.find(({ known }) => refKey(known.ref) === event.target.value);
              const { countryFrom: _before, ...rest } = phone;
              const next: Tidy = chosen ? { ...rest, countryFrom: chosen.known.ref } : rest;
              onChange(tidies.map((tidy) => (tidy === phone ? next : tidy)));
            }}
            choices={[
              { value: '', label: `${phone.country ?? around.country} for all` },
              ...countries.map(({ name, known }) => ({ value: refKey(known.ref), label: `from ${name}` })),
            ]}
          />
        </label>
      )}
      <label htmlFor={id} className="mt-1.5 flex items-center gap-2 text-sm text-ink-2">
        when empty
        <input
          id={id}
          value={standIn?.value ?? ''}
          placeholder="stays empty"
          onChange={(event) =>
            onChange(
              event.target.value === ''
                ? without('default')
                : [...without('default'), { kind: 'default', value: event.target.value }],
            )
          }
          className={`${inputLook} h-[26px] w-[150px]`}
        />
      </label>
      <label htmlFor={`${id}-unread`} className="mt-1.5 flex items-center gap-2 text-sm text-ink-2">
        when it can’t be read
        <Select
          id={`${id}-unread`}
          className="h-[26px]"
          value={unread ?? 'ask'}
          onChange={(event) => onUnread(event.target.value as Unread)}
          choices={unreadChoices.map((value) => ({ value, label: unreadWords[value] }))}
        />
      </label>
    </fieldset>
  );
}

/** How the field comes out over all samples: "19 of 21 give a value, 1 empty, 1 can't be read". */
function Summary({ field, filling, scopes }: EditorProps) {
  if (scopes.length === 0 || !filling) return null;
  const cells = scopes.map(({ scope, around }) => mapField(field, filling, scope, around));
  const count = (state: Cell['state']): number => cells.filter((cell) => cell.state === state).length;
  const problems = count('problem');
  return (
    <p className="ml-auto text-sm text-ink-2" role="status">
      {count('filled')} of {cells.length} give a value, {count('empty')} empty
      {problems > 0 && <span className="text-brick">, {problems} can’t be filled</span>}
    </p>
  );
}

interface LinesProps {
  readonly filling: LinesFilling;
  readonly names: readonly NamedField[];
  readonly onChange: (filling: LinesFilling) => void;
  readonly onOpen?: (() => void) | undefined;
}

/** Which list the lines come from; the lines themselves have a sheet of their own. */
function LinesChoice({ filling, names, onChange, onOpen }: LinesProps) {
  const lists = names.filter(({ known }) => known.field.type === 'list' && !known.isInList);
  return (
    <p className="flex flex-wrap items-center gap-2">
      <span>A line for each of</span>
      <Chooser
        aria-label="The list that becomes lines"
        value={refKey(filling.ref)}
        onChoose={(chosen) => {
          const one = lists.find(({ known }) => refKey(known.ref) === chosen);
          if (one) onChange({ ...filling, ref: one.known.ref });
        }}
        choices={lists.map(({ name, known }) => ({ value: refKey(known.ref), label: name }))}
      />
      <Button look="main" onClick={onOpen}>
        Fill the lines
      </Button>
      <span className="text-sm text-ink-2">{Object.keys(filling.mapping).length} fields of a line are filled</span>
    </p>
  );
}
