import {
  type Asked,
  type AskStep,
  letterOf,
  type NamedField,
  parkOnPaper,
  partsOfLetter,
  questionTypes,
  type Silence,
  type TextPart,
  type WriteStep,
  writeSteps,
} from '@golden/core';
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { useMemo, useState } from 'react';
import { useTelling } from '../../api/queries.ts';
import { ShownFields } from '../../asking/ShownFields.tsx';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { lookedAt } from '../../editor/draft/use-evaluation-context.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import { ConnectDrawer } from '../../editor/place/ConnectDrawer.tsx';
import { QuestionsEditor } from '../../editor/questions/QuestionsEditor.tsx';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { SelectField, TextArea, TextField } from '../../parts/Field.tsx';
import { Amount } from '../wait/Amount.tsx';

interface SheetProps {
  readonly step: AskStep;
  readonly samples: readonly SampleOnSheet[];
}

/** Files are asked for by forms only. */
const asked = questionTypes.filter((type) => type !== 'file');

/** Whom it asks for what, for how long, and what each sample would ask. */
export function AskSheet({ step, samples }: SheetProps) {
  const { draft } = useEditor();
  const change = (edit: (one: AskStep) => AskStep): void => draft.change(withStep<AskStep>(step.id, edit));
  const after = draft.content.steps.slice(draft.content.steps.findIndex(({ id }) => id === step.id) + 1);
  const writes = writeSteps({ steps: after }).filter(({ within, target }) => within === undefined && target);
  return (
    <>
      <SheetHead title="Ask somebody first">
        <span className="text-ink-2">Nobody is asked while you rehearse. Not answering never counts as a yes.</span>
      </SheetHead>
      <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
        <div className="grid items-start gap-x-8 gap-y-2 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
          <div>
            <What step={step} writes={writes} change={change} />
            <Whom step={step} change={change} />
            <Time step={step} change={change} />
          </div>
          <Preview step={step} samples={samples} />
        </div>
      </div>
    </>
  );
}

interface PartProps {
  readonly step: AskStep;
  readonly change: (edit: (one: AskStep) => AskStep) => void;
}

function What({ step, writes, change }: PartProps & { readonly writes: readonly WriteStep[] }) {
  const { what } = step;
  const names = useNames(step.id);
  return (
    <section aria-label="What is asked">
      <SelectField
        label="They are asked"
        value={what.kind === 'questions' ? '' : (what.write ?? 'none')}
        onChange={({ target }) =>
          change((one) => ({
            ...one,
            what:
              target.value === ''
                ? { kind: 'questions', questions: [] }
                : { kind: 'approval', write: target.value === 'none' ? null : target.value },
          }))
        }
        choices={[
          ...(what.kind === 'approval' && what.write === null ? [{ value: 'none', label: 'choose what' }] : []),
          ...(what.kind === 'approval' && what.write !== null && !writes.some(({ id }) => id === what.write)
            ? [{ value: what.write, label: 'a step that doesn’t stand after this one' }]
            : []),
          ...writes.map(({ id, target }) => ({
            value: id,
            label: `whether the ${target?.described.singular} in ${target?.labels.join(' → ')} is right`,
          })),
          { value: '', label: 'questions of yours' },
        ]}
      />
      {what.kind === 'questions' && (
        <div className="mb-3">
          <QuestionsEditor
            questions={what.questions}
            types={asked}
            onChange={(questions) => change((one) => ({ ...one, what: { kind: 'questions', questions } }))}
          />
        </div>
      )}
      <Typed
        label="What you say to them"
        parts={step.words}
        names={names}
        isLong
        placeholder={what.kind === 'approval' ? 'Please look whether this is right.' : 'We need to know this first.'}
        hint="Fields stand in braces, such as {name}."
        onChange={(words) => change((one) => ({ ...one, words }))}
      />
      {what.kind === 'approval' && (
        <SelectField
          label="What they refuse"
          value={step.refusal ?? 'leaves_out'}
          onChange={({ target }) =>
            change(({ refusal: _before, ...one }) =>
              target.value === 'goes_on' ? { ...one, refusal: 'goes_on' } : one,
            )
          }
          choices={[
            { value: 'leaves_out', label: 'goes no further, with their reason' },
            { value: 'goes_on', label: 'isn’t written; all other steps are done' },
          ]}
        />
      )}
    </section>
  );
}

function Whom({ step, change }: PartProps) {
  const names = useNames(step.id);
  const senders = (useTelling().data?.senders ?? []).filter(({ kind }) => kind === 'mail');
  const [isConnecting, setConnecting] = useState(false);
  return (
    <section aria-label="Whom">
      <Typed
        label="Whom"
        parts={step.to}
        names={names}
        placeholder="mira@clay.example, {e-mail of the salesperson}"
        hint="E-mail addresses with commas between them: each gets a link of their own, and the first answer counts. Leave it empty to answer under Needs you only."
        onChange={(to) =>
          change((one) => ({
            ...one,
            to,
            through: to.length > 0 ? (one.through ?? senders[0]?.id ?? null) : one.through,
          }))
        }
      />
      {step.to.length > 0 && senders.length === 0 && (
        <p className="mb-3">
          No mailbox is connected through which they can be written to.{' '}
          <Button onClick={() => setConnecting(true)}>Connect one</Button>
        </p>
      )}
      {senders.length > 0 && step.to.length > 0 && (
        <SelectField
          label="Written to through"
          value={step.through ?? ''}
          onChange={({ target }) => change((one) => ({ ...one, through: target.value || null }))}
          choices={[
            ...(step.through === null ? [{ value: '', label: 'choose a mailbox' }] : []),
            ...senders.map(({ id, name }) => ({ value: id, label: name })),
          ]}
        />
      )}
      {step.to.length > 0 && (
        <label className="mb-3 flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 accent-pine"
            checked={step.alwaysCode === true}
            onChange={({ target }) =>
              change(({ alwaysCode: _before, ...one }) => (target.checked ? { ...one, alwaysCode: true } : one))
            }
          />
          <span>
            Ask for a code as well, sent in a second mail
            <span className="block text-sm text-ink-2">
              For money, and for mails to ten people or more, it is asked for in any case.
            </span>
          </span>
        </label>
      )}
      <ConnectDrawer
        isOpen={isConnecting}
        onClose={() => setConnecting(false)}
        onConnected={() => setConnecting(false)}
      />
    </section>
  );
}

const silences: readonly { readonly value: Silence; readonly label: string }[] = [
  { value: 'reminds', label: 'they are asked once more, for as long again' },
  { value: 'leaves_out', label: 'the record goes no further' },
  { value: 'goes_on', label: 'the rest goes on without it' },
];

function Time({ step, change }: PartProps) {
  return (
    <section aria-label="For how long" className="space-y-2.5">
      <div className="flex flex-wrap items-center gap-2">
        <span className="font-medium">They have</span>
        <Amount of="They have" value={step.by} onChange={(by) => change((one) => ({ ...one, by }))} />
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-pine"
            checked={step.remind !== undefined}
            onChange={({ target }) =>
              change(({ remind: _before, ...one }) =>
                target.checked ? { ...one, remind: { amount: 1, unit: 'working_days' } } : one,
              )
            }
          />
          remind them after
        </label>
        {step.remind ? (
          <Amount of="Remind them" value={step.remind} onChange={(remind) => change((one) => ({ ...one, remind }))} />
        ) : (
          <span className="text-ink-2">some time</span>
        )}
      </div>
      <SelectField
        label="When nobody has answered by then"
        value={step.silence}
        onChange={({ target }) => change((one) => ({ ...one, silence: target.value as Silence }))}
        choices={[...silences]}
      />
    </section>
  );
}

interface TypedProps {
  readonly label: string;
  readonly hint: string;
  readonly placeholder: string;
  readonly parts: readonly TextPart[];
  readonly names: readonly NamedField[];
  readonly isLong?: boolean;
  readonly onChange: (parts: TextPart[]) => void;
}

/** A text as it is typed, with fields in braces. */
function Typed({ label, hint, placeholder, parts, names, isLong = false, onChange }: TypedProps) {
  const value = letterOf(parts, names);
  const shared = {
    label,
    hint,
    placeholder,
    value,
    onChange: ({ target }: { readonly target: { readonly value: string } }) =>
      onChange(partsOfLetter(target.value, names, parts)),
  };
  return isLong ? <TextArea rows={3} {...shared} /> : <TextField {...shared} />;
}

/** The samples that would be asked about are shown one at a time, as whoever is asked sees them. */
function Preview({ step, samples }: SheetProps) {
  const { version, lookups } = useEditor();
  const reaching = useMemo(() => samples.filter((one) => one.reached.has(step.id)), [samples, step.id]);
  // Those of whom somebody is asked first.
  const isAsked = ({ results }: SampleOnSheet): boolean => results[step.id]?.kind !== 'not_asked';
  const ordered = [...reaching.filter(isAsked), ...reaching.filter((one) => !isAsked(one))];
  const [chosen, setChosen] = useState(0);
  const at = Math.min(chosen, ordered.length - 1);
  const sample = ordered[at];
  const shown = useMemo(
    () => sample && parkOnPaper(version, sample.record, lookedAt, lookups[sample.id] ?? {}, step.id)?.asks,
    [version, sample, lookups, step.id],
  );
  if (!sample) return <p className="text-ink-2">No sample comes here yet.</p>;
  const result = sample.results[step.id];
  return (
    <section aria-label="What they see" className="min-w-0 rounded-lg border border-line-1 bg-sheet px-4 py-3">
      <header className="mb-2 flex items-center gap-1.5">
        <h3 className="mr-auto min-w-0 truncate font-sans font-medium">What they see of {sample.title}</h3>
        <span className="shrink-0 text-sm text-ink-2">
          {at + 1} of {ordered.length}
        </span>
        <Button
          look="quiet"
          aria-label="Previous sample"
          icon={<ChevronLeft size={16} />}
          disabled={at === 0}
          onClick={() => setChosen(at - 1)}
        />
        <Button
          look="quiet"
          aria-label="Next sample"
          icon={<ChevronRight size={16} />}
          disabled={at >= ordered.length - 1}
          onClick={() => setChosen(at + 1)}
        />
      </header>
      {shown ? (
        <AskedOnPaper asks={shown} />
      ) : (
        <p className="text-ink-2">Nobody is asked about this one. {result?.kind === 'not_asked' ? result.why : ''}</p>
      )}
    </section>
  );
}

function AskedOnPaper({ asks: { what, words, to, needsCode } }: { readonly asks: Asked }) {
  return (
    <>
      <p className="mb-1 text-sm text-ink-2">
        {to.length === 0 ? 'Under Needs you only' : `To ${to.join(', ')}`}
        {needsCode && to.length > 0 && ', with a code'}
      </p>
      {words !== '' && <p className="mb-2 whitespace-pre-wrap">{words}</p>}
      {what.kind === 'approval' ? (
        <>
          <ShownFields shown={what.shown} />
          <p className="mt-1.5 text-sm text-ink-2">What is there already is looked at when they are asked.</p>
        </>
      ) : (
        <ul className="list-disc pl-5">
          {what.questions.map((question) => (
            <li key={question.key ?? question.label}>
              {question.label || '…'}
              {question.isRequired && <span className="text-ink-2"> (required)</span>}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
