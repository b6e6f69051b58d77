import type { Mark } from '@golden/core';
import { Download } from 'lucide-react';
import { call } from '../api/client.ts';
import { useAction, type useRehearsal } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { downloadBase64 } from '../parts/download.ts';
import { inputLook } from '../parts/Field.tsx';
import { formatNumber } from '../parts/formats.ts';

/** What the rehearsed records can be narrowed to. */
export interface Narrowed {
  readonly mark?: Mark | undefined;
  readonly search?: string | undefined;
}

const words: readonly (readonly [Mark, string])[] = [
  ['new', 'new'],
  ['changed', 'changed'],
  ['same', 'the same'],
  ['erased', 'would empty a field'],
  ['differs', 'something else there'],
  ['kept', 'left as it is there'],
];

interface FiltersProps {
  readonly workflow: string;
  readonly marks: NonNullable<ReturnType<typeof useRehearsal>['data']>['marks'];
  readonly narrowed: Narrowed;
  readonly onNarrow: (narrowed: Narrowed) => void;
}

/** The rehearsed records by what they came to, searched by their words, and all changes as a file. */
export function RehearsalFilters({ workflow, marks, narrowed, onNarrow }: FiltersProps) {
  const save = useAction(async (format: 'csv' | 'xlsx') => {
    const file = await call('GET /api/workflows/:id/rehearsal/changes-file', {
      params: { id: workflow },
      query: { format },
    });
    downloadBase64(file.name, file.base64);
  });
  return (
    <div className="flex flex-wrap items-center gap-1.5 px-5 pb-2.5">
      <fieldset className="flex flex-wrap items-center gap-1.5">
        <legend className="sr-only">Show only</legend>
        <span className="text-ink-2" aria-hidden="true">
          Only
        </span>
        {words
          .filter(([mark]) => (marks[mark] ?? 0) > 0 || narrowed.mark === mark)
          .map(([mark, text]) => (
            <button
              key={mark}
              type="button"
              aria-pressed={narrowed.mark === mark}
              onClick={() => onNarrow({ ...narrowed, mark: narrowed.mark === mark ? undefined : mark })}
              className={`min-h-6 rounded-full border px-2.5 text-sm ${look(mark, narrowed.mark === mark)}`}
            >
              {text} <span className="tabular-nums">{formatNumber(marks[mark] ?? 0)}</span>
            </button>
          ))}
      </fieldset>
      <input
        type="search"
        aria-label="Search the rehearsed records"
        placeholder="Search"
        value={narrowed.search ?? ''}
        onChange={(event) => onNarrow({ ...narrowed, search: event.target.value || undefined })}
        className={`${inputLook} ml-auto w-[150px]`}
      />
      {(['csv', 'xlsx'] as const).map((format) => (
        <Button
          key={format}
          look="quiet"
          icon={<Download size={14} strokeWidth={1.75} />}
          disabled={save.isPending}
          data-hint="What would change, field by field: before and after"
          onClick={() => save.mutate(format)}
        >
          {format === 'csv' ? 'Changes as CSV' : 'as XLSX'}
        </Button>
      ))}
    </div>
  );
}

function look(mark: Mark, isOn: boolean): string {
  if (isOn) return 'border-pine bg-pine-tint font-semibold text-pine';
  if (mark === 'erased') return 'border-brick bg-brick-tint text-brick';
  if (mark === 'differs') return 'border-brass-fill bg-brass-tint text-brass';
  return 'border-line-1 bg-raised hover:bg-pine-faint';
}
