import { type HandOverStep, itemsOf, refKey } from '@golden/core';
import { useEditor } from '../../editor/draft/context.tsx';
import { withHandedEach } from '../../editor/draft/edits.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Select } from '../../parts/Field.tsx';

interface WhatProps {
  readonly step: HandOverStep;
  readonly samples: readonly SampleOnSheet[];
}

/** What is handed over: the record itself, or each item of one of its lists. Nothing to choose where it has no list. */
export function WhatIsHanded({ step, samples }: WhatProps) {
  const { draft } = useEditor();
  const lists = useNames(step.id).filter((one) => one.type === 'list' && !one.known.isInList);
  const each = draft.content.steps.find((one) => one.id === step.within);
  const over = each?.kind === 'each' ? each.over : null;
  if (lists.length === 0 && !over) return null;
  const most = over ? Math.max(0, ...samples.map((one) => itemsOf(over, one.scope).length)) : 0;
  return (
    <span className="flex flex-wrap items-center gap-2">
      <span className="text-ink-2">Hands over</span>
      <Select
        aria-label="What is handed over"
        value={over ? refKey(over) : ''}
        onChange={(event) => {
          const one = lists.find(({ known }) => refKey(known.ref) === event.target.value);
          draft.change(withHandedEach(step.id, one?.known.ref));
        }}
        choices={[
          { value: '', label: 'the record' },
          ...lists.map(({ name, known }) => ({ value: refKey(known.ref), label: `each of ${name}` })),
        ]}
      />
      {most > 0 && <span className="text-sm text-ink-2">up to {most} in the samples</span>}
    </span>
  );
}
