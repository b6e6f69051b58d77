import type { JsonRecord, Place, Suggestion, WriteStep } from '@golden/core';
import { CircleAlert, ListChecks, Sparkle } from 'lucide-react';
import type { ReactNode } from 'react';
import { useEditor } from '../../editor/draft/context.tsx';
import { withAccepted, withPlaceBy, withSuggestions } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import type { SheetRows } from '../../editor/mapping/use-sheet-rows.ts';
import { PlaceMenu } from '../../editor/place/PlaceMenu.tsx';
import { Button } from '../../parts/Button.tsx';
import { counted } from '../../parts/formats.ts';
import { TooFewRights } from '../../parts/TooFewRights.tsx';
import { OnlyIfButton } from '../placed/OnlyIfDrawer.tsx';

/** What can be opened beside the sheet. */
export type SheetDrawer = 'samples' | 'payload' | 'table';

interface HeadProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly title: ReactNode;
  readonly columnNames: readonly string[];
  readonly fieldCount: number;
  readonly rows: SheetRows;
  /** What could be proposed for fields that nobody has filled. */
  readonly open: readonly Suggestion[];
  /** Values of a sample, as they would be written; undefined where no sample gets here. */
  readonly recordOf: () => JsonRecord | undefined;
  readonly onChange: () => void;
  readonly onDrawer: (drawer: SheetDrawer) => void;
}

/** The head of a write's sheet: where it goes, how much is filled, what is to be looked at. */
export function MappingHead(props: HeadProps) {
  const { step, target, title, columnNames, fieldCount, rows, open, recordOf, onChange, onDrawer } = props;
  const { draft } = useEditor();
  const { isFirst } = rows;
  const proposed = Object.keys(step.suggested ?? {}).length;
  const [count, looks] = [rows.problems.size, rows.remarks.size];
  return (
    <SheetHead title={title} hint={target.labels.join(' → ')}>
      <PlaceMenu
        step={step}
        target={target}
        columnNames={columnNames}
        onChange={onChange}
        onPayload={() => onDrawer('payload')}
        onTable={() => onDrawer('table')}
        onPlaceBy={() => draft.change(withPlaceBy(step.id))}
        recordOf={recordOf}
      />
      <span className="rounded-sm bg-stone-tint px-2 py-0.5 text-sm text-stone">
        {Object.keys(step.mapping).length} of {fieldCount} filled
      </span>
      <TooFewRights connectionId={target.connection} />
      {(count > 0 || looks > 0) && (
        <button
          type="button"
          aria-pressed={isFirst}
          data-hint="Problems first (N goes to the next one)"
          onClick={() => rows.setProblemsFirst(!isFirst)}
          className={`inline-flex min-h-6 items-center gap-1.5 rounded-sm px-2 text-sm ${problemLook(isFirst, count > 0)}`}
        >
          <CircleAlert size={14} strokeWidth={1.75} aria-hidden="true" />
          {[count > 0 && counted(count, 'problem'), looks > 0 && `${looks} to look at`].filter(Boolean).join(', ')}
          <kbd className="font-mono text-xs">N</kbd>
        </button>
      )}
      <span className="ml-auto flex items-center gap-1">
        <OnlyIfButton step={step} />
        {proposed > 0 && (
          <Button onClick={() => draft.change(withAccepted(step.id))}>Accept {proposed} suggested</Button>
        )}
        {open.length > 0 && (
          <Button
            look="quiet"
            icon={<Sparkle size={14} strokeWidth={1.75} />}
            onClick={() => draft.change(withSuggestions(step.id, open))}
          >
            Suggest {open.length}
          </Button>
        )}
        <Button icon={<ListChecks size={15} strokeWidth={1.75} />} onClick={() => onDrawer('samples')}>
          Samples
        </Button>
      </span>
    </SheetHead>
  );
}

function problemLook(isFirst: boolean, isProblem: boolean): string {
  if (isFirst) return isProblem ? 'bg-brick text-paper' : 'bg-brass text-paper';
  return isProblem ? 'bg-brick-tint text-brick' : 'bg-brass-tint text-brass';
}
