import {
  type Field,
  type Filling,
  fillingText,
  type KnownField,
  knownFields,
  mapField,
  type Suggestion,
  type TextPart,
  type Tidy,
  type TidyKind,
  tidyLabel,
  type WriteStep,
} from '@golden/core';
import { Plus, Sparkle, X } from 'lucide-react';
import { useId, useMemo, useState } from 'react';
import { Button } from '../parts/Button.tsx';
import { inputLook, Select } from '../parts/Field.tsx';
import { useEditor } from './context.tsx';
import { withAccepted, withFilling, withSuggestions } from './edits.ts';
import { FieldPicker } from './FieldPicker.tsx';
import type { SampleOnSheet } from './sample-run.ts';

interface EditorProps {
  readonly step: WriteStep;
  readonly field: Field;
  readonly samples: readonly SampleOnSheet[];
  /** What could be proposed while it is not filled. */
  readonly suggestion?: Suggestion | undefined;
}

type Kind = Filling['kind'] | 'none';

/** How the chosen field is filled: its source fields, words, choices and tidies, below the sheet. */
export function FillingEditor({ step, field, samples, suggestion }: EditorProps) {
  const { draft, version } = useEditor();
  const filling = step.mapping[field.path];
  const put = (next: Filling | undefined): void => draft.change(withFilling(step.id, field.path, next));
  const { start, steps } = draft.content;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is known changes with the start and the steps only
  const known = useMemo(() => knownFields(draft.content, step.id), [start, steps, step.id]);
  const reason = step.suggested?.[field.path];
  const kinds: { kind: Kind; text: string }[] = [
    { kind: 'none', text: 'not filled' },
    { kind: 'field', text: 'a field' },
    { kind: 'text', text: 'text with fields' },
    ...(field.options ? [{ kind: 'choice' as const, text: 'a choice' }] : []),
    { kind: 'fixed', text: 'a fixed value' },
  ];
  const turn = (kind: Kind): void => put(turnedInto(kind, filling, field));
  return (
    <section
      aria-label={`Filling of ${field.label}`}
      data-filling-editor
      className="shrink-0 border-t border-line-1 bg-paper px-5 py-2.5"
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h3 className="font-sans font-semibold">{field.label}</h3>
        <fieldset className="flex flex-wrap items-center gap-1">
          <legend className="sr-only">How it is filled</legend>
          {kinds.map(({ kind, text }) => {
            const isOn = (filling?.kind ?? 'none') === kind;
            return (
              <button
                key={kind}
                type="button"
                aria-pressed={isOn}
                onClick={() => turn(kind)}
                className={`rounded-md px-2 py-1 ${isOn ? 'bg-pine-tint font-medium text-pine' : 'text-ink-2 hover:bg-pine-faint'}`}
              >
                {text}
              </button>
            );
          })}
        </fieldset>
        <Summary step={step} field={field} samples={samples} />
      </div>
      {reason && (
        <p className="mt-1.5 flex flex-wrap items-center gap-2 text-brass">
          <span>Proposed: {reason}.</span>
          <Button onClick={() => draft.change(withAccepted(step.id, field.path))}>
            Accept <kbd className="key">Y</kbd>
          </Button>
          <Button look="quiet" onClick={() => put(undefined)}>
            Clear
          </Button>
        </p>
      )}
      {!filling && suggestion && (
        <p className="mt-1.5 flex flex-wrap items-center gap-2">
          <Button
            icon={<Sparkle size={14} strokeWidth={1.75} />}
            onClick={() => draft.change(withSuggestions(step.id, [suggestion]))}
          >
            Propose {fillingText(draft.content, suggestion.filling, version.locale)}
          </Button>
          <span className="text-ink-2">{suggestion.reason}</span>
        </p>
      )}
      <div className="mt-2 flex max-h-[172px] flex-wrap items-start gap-x-6 gap-y-2 overflow-y-auto">
        <div className="min-w-[280px] flex-1">
          <Body filling={filling} field={field} known={known} samples={samples} onChange={put} />
        </div>
        {(filling?.kind === 'field' || filling?.kind === 'text') && (
          <Tidies tidies={filling.tidies} onChange={(tidies) => put({ ...filling, tidies })} />
        )}
      </div>
    </section>
  );
}

interface BodyProps {
  readonly filling: Filling | undefined;
  readonly field: Field;
  readonly known: readonly KnownField[];
  readonly samples: readonly SampleOnSheet[];
  readonly onChange: (filling: Filling) => void;
}

function Body({ filling, field, known, samples, onChange }: BodyProps) {
  const [isPicking, setPicking] = useState(false);
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
        <Button onClick={() => setPicking(true)}>Another field</Button>
      </p>
    );
  }
  if (filling.kind === 'text')
    return <TextParts filling={filling} known={known} samples={samples} onChange={onChange} />;
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
    <input
      aria-label="The fixed value"
      value={filling.value}
      onChange={(event) => onChange({ kind: 'fixed', value: event.target.value })}
      className={`${inputLook} w-[320px]`}
    />
  );
}

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

/** Tidies to switch on, done in the order they were chosen. */
function Tidies({
  tidies,
  onChange,
}: {
  readonly tidies: readonly Tidy[];
  readonly onChange: (tidies: Tidy[]) => void;
}) {
  const { version } = useEditor();
  const id = useId();
  const has = (kind: TidyKind): boolean => tidies.some((tidy) => tidy.kind === kind);
  const without = (kind: TidyKind): Tidy[] => tidies.filter((tidy) => tidy.kind !== kind);
  const standIn = tidies.find((tidy) => tidy.kind === 'default');
  return (
    <fieldset className="w-[300px]">
      <legend className="mb-1 text-sm text-ink-2">Tidy on the way</legend>
      <div className="flex flex-wrap gap-1">
        {offered.map((tidy) => (
          <button
            key={tidy.kind}
            type="button"
            aria-pressed={has(tidy.kind)}
            onClick={() => onChange(has(tidy.kind) ? without(tidy.kind) : [...tidies, tidy])}
            className={`min-h-6 rounded-sm border px-1.5 text-sm ${has(tidy.kind) ? 'border-pine bg-pine-tint text-pine' : 'border-line-1 bg-raised text-ink-2 hover:bg-pine-faint'}`}
          >
            {tidyLabel(tidy, version.locale)}
          </button>
        ))}
      </div>
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
    </fieldset>
  );
}

/** How the field comes out over all samples: "19 of 21 give a value, 1 empty, 1 can't be read". */
function Summary({ step, field, samples }: EditorProps) {
  const { version } = useEditor();
  const cells = samples.map((sample) => mapField(field, step.mapping[field.path], sample.scope, version.locale));
  if (cells.length === 0 || !step.mapping[field.path]) return null;
  const count = (state: (typeof cells)[number]['state']): number => cells.filter((cell) => cell.state === state).length;
  const problems = count('problem');
  return (
    <p className="ml-auto text-sm text-ink-2" role="status">
      {count('filled')} of {cells.length} give a value, {count('empty')} empty
      {problems > 0 && <span className="text-brick">, {problems} can’t be filled</span>}
    </p>
  );
}

/** One way of filling turned into another without losing what can be kept. */
function turnedInto(kind: Kind, filling: Filling | undefined, field: Field): Filling | undefined {
  if (kind === 'none') return undefined;
  if (kind === filling?.kind) return filling;
  const tidies = filling && 'tidies' in filling ? filling.tidies : [];
  const firstRef = filling?.kind === 'text' ? filling.parts.find((part) => part.kind === 'field')?.ref : undefined;
  switch (kind) {
    case 'field':
      return firstRef ? { kind, ref: firstRef, tidies } : undefined;
    case 'text': {
      if (filling?.kind === 'field') return { kind, parts: [{ kind: 'field', ref: filling.ref }], tidies };
      const words =
        filling && 'value' in filling && filling.value ? [{ kind: 'words' as const, text: filling.value }] : [];
      return { kind, parts: words, tidies };
    }
    case 'choice':
      return { kind, value: field.options?.[0]?.value ?? '' };
    case 'fixed':
      return { kind, value: filling && 'value' in filling ? filling.value : '' };
  }
}
