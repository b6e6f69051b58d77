import { article, type Place, partByFormula, proposeLadder, type WriteStep } from '@golden/core';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { type ReactNode, useState } from 'react';
import { usePlace } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { Select } from '../../parts/Field.tsx';
import { counted, formatNumber } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { withPlaceBy, withPlacePart, withStep } from '../draft/edits.ts';
import { useNames } from '../draft/use-names.ts';
import { FormulaFilling } from '../formula/FormulaFilling.tsx';
import { CandidatesTable } from '../lookup/CandidatesTable.tsx';
import { LadderEditor } from '../lookup/LadderEditor.tsx';
import { FirstRows } from '../place/PlacePreview.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { DoneMark } from '../start/DoneMark.tsx';
import { DraftChoice } from './DraftChoice.tsx';
import { PurposeChoice } from './PurposeChoice.tsx';

interface HowProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly samples: readonly SampleOnSheet[];
  /** What else stands on this line. */
  readonly children?: ReactNode;
}

/** How it is written there: append, or create or update by a key; and what stands there already. */
export function HowItIsWritten({ step, target, samples, children }: HowProps) {
  const { draft, gone } = useEditor();
  // Told above, with what it is likely called now.
  const isGone = gone.some(({ sentence }) => sentence === step.id);
  const [isOpen, setOpen] = useState(false);
  const [isLadder, setLadder] = useState(false);
  const names = useNames(step.id);
  const there = usePlace(target.connection, target.path);
  const { described } = target;
  const keys = described.fields.filter((field) => !described.findBy || described.findBy.includes(field.path));
  const holds = there.data?.holds;
  const change = (next: Partial<WriteStep>): void =>
    draft.change(withStep<WriteStep>(step.id, (one) => ({ ...one, ...next })));
  return (
    <div className="border-b border-line-1 px-5 py-1.5">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5">
        <ModeChoice step={step} target={target} onChange={change} />
        {step.mode === 'create_or_update' && step.ladder && !described.document && (
          <Button
            look="quiet"
            aria-expanded={isLadder}
            icon={isLadder ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
            onClick={() => setLadder(!isLadder)}
          >
            Recognised in {counted(step.ladder.rungs.length, 'way')}
          </Button>
        )}
        {step.mode === 'create_or_update' && !step.ladder && !described.document && (
          <>
            <span className="text-ink-2">the {described.singular} that has the same</span>
            <Chooser
              aria-label="Matched by"
              value={step.key ?? ''}
              placeholder="Choose a field"
              onChoose={(key) => change({ key })}
              choices={keys.map((field) => ({ value: field.path, label: field.label }))}
            />
          </>
        )}
        {described.fields.some((field) => field.readsFormulas) && (
          <Select
            aria-label="Texts that begin like a formula"
            data-hint="In a CSV file, spreadsheet programs run texts that begin with = + - or @ as formulas."
            value={step.formulaTexts ?? ''}
            onChange={(event) => change({ formulaTexts: event.target.value === 'harmless' ? 'harmless' : undefined })}
            choices={[
              { value: '', label: 'texts like =1+1 as they are' },
              { value: 'harmless', label: 'texts like =1+1 made harmless' },
            ]}
          />
        )}
        <DraftChoice step={step} />
        {described.document && <DoneMark />}
        <span className="ml-auto" />
        {children}
        {described.can.list && (
          <Button
            look="quiet"
            aria-expanded={isOpen}
            icon={isOpen ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
            onClick={() => setOpen(!isOpen)}
          >
            {holds === null || holds === undefined ? 'What is there' : `Holds ${formatNumber(holds)}`}
          </Button>
        )}
      </div>
      {step.ladder && step.mode === 'create_or_update' && isLadder && !described.document && (
        <div className="mt-2 max-h-[46vh] overflow-y-auto border-t border-line-2 pt-2">
          <LadderEditor
            step={step}
            ladder={step.ladder}
            described={described}
            onChange={(ladder) => change({ ladder })}
          />
          <div className="-mx-5">
            <CandidatesTable step={step} ladder={step.ladder} samples={samples} />
          </div>
        </div>
      )}
      {step.placeBy && (
        <div className="mt-2 flex flex-wrap items-start gap-2">
          <span className="pt-1 text-ink-2">Calculated for each record:</span>
          {target.labels.length > 1 && (
            <Select
              aria-label="What is calculated"
              value={String(partByFormula(step, target))}
              onChange={(event) => draft.change(withPlacePart(step.id, Number(event.target.value)))}
              choices={target.labels.map((label, at) => ({ value: String(at), label: `in place of “${label}”` }))}
            />
          )}
          <div className="min-w-[280px] flex-1">
            <FormulaFilling
              formula={step.placeBy}
              names={names}
              label="Where each record is written"
              onChange={(formula) => draft.change(withPlaceBy(step.id, formula))}
            />
          </div>
          {there.data?.canAddColumns && (
            <label className="flex items-center gap-2 pt-1">
              <input
                type="checkbox"
                className="accent-pine"
                checked={step.makesPlace === true}
                onChange={(event) => change({ makesPlace: event.target.checked || undefined })}
              />
              Where it is missing, make it like the last one, with its head and formats
            </label>
          )}
        </div>
      )}
      {there.error && !isGone && <ProblemMessage>{there.error.message}</ProblemMessage>}
      {isOpen && (
        <div className="mt-2">
          <FirstRows fields={described.fields} rows={(there.data?.first ?? []).slice(0, 5)} />
        </div>
      )}
    </div>
  );
}

/** Append, or create or update; what goes out to somebody is only ever sent, and has a purpose. */
function ModeChoice({
  step,
  target,
  onChange,
}: Pick<HowProps, 'step' | 'target'> & { readonly onChange: (next: Partial<WriteStep>) => void }) {
  const { described } = target;
  const isSent = described.sentTo !== undefined && step.mode === 'append';
  if (described.document)
    return (
      <Select
        aria-label="How documents are made"
        value={step.mode === 'append' ? 'append' : step.otherwise === 'ask' ? 'ask' : 'again'}
        onChange={(event) => onChange(remakingOf(event.target.value))}
        choices={[
          { value: 'append', label: 'a new one each time; one of the same name is numbered' },
          { value: 'again', label: 'made again where its record has changed' },
          { value: 'ask', label: 'ask me where its record has changed' },
        ]}
      />
    );
  return (
    <>
      {described.sentTo?.body !== undefined && <PurposeChoice step={step} onChange={onChange} />}
      {!isSent && (
        <Select
          aria-label="How records are written"
          value={step.mode === 'append' ? 'append' : step.ladder ? 'ladder' : 'key'}
          onChange={(event) => onChange(modeOf(event.target.value, step, target))}
          choices={[
            { value: 'key', label: 'create or update, matched by one field' },
            {
              value: 'ladder',
              label: 'create or update, matched in several ways',
              isOff: !described.can.list || !described.can.update,
            },
            {
              value: 'append',
              label: `${described.sentTo ? 'send' : 'append'} ${article(described.singular)} ${described.singular} each time`,
            },
          ]}
        />
      )}
    </>
  );
}

/** A document is found again by the record that it was made for, by nothing else: two may be called the same. */
const ownDocument: NonNullable<WriteStep['ladder']> = {
  rungs: [],
  atNone: 'create',
  atUnclear: 'ask',
  remembers: 'start',
};

/** What becomes of documents whose records change: each belongs to its record, and holds all that is said now. */
function remakingOf(value: string): Partial<WriteStep> {
  if (value === 'append')
    return { mode: 'append', ladder: undefined, empties: undefined, firstDifference: undefined, otherwise: undefined };
  const otherwise = value === 'ask' ? ('ask' as const) : undefined;
  return { mode: 'create_or_update', ladder: ownDocument, empties: 'all', firstDifference: 'source', otherwise };
}

/** A write in another mode; the ways that were there before come back with it. */
function modeOf(value: string, step: WriteStep, { described }: Place): Partial<WriteStep> {
  if (value === 'append') return { mode: 'append' };
  if (value === 'key') return { mode: 'create_or_update', ladder: undefined };
  const proposed = proposeLadder(described, (path) => step.mapping[path] !== undefined, 'start');
  return { mode: 'create_or_update', ladder: step.ladder ?? { ...proposed, atNone: 'create' } };
}
