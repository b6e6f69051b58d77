import {
  asGiven,
  type GivenRow,
  harmless,
  mappingRows,
  readMappingRows,
  sheetColumns,
  type WriteStep,
} from '@golden/core';
import Papa from 'papaparse';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { downloadText } from '../../parts/download.ts';
import { counted } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { withStep } from '../draft/edits.ts';

interface TableProps {
  readonly step: WriteStep;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

interface Outcome {
  readonly changed: number;
  readonly refused: readonly { readonly row: number; readonly message: string }[];
}

/** The mapping as a CSV table to be reviewed in a spreadsheet, and back again. */
export function MappingTableDrawer({ step, isOpen, onClose }: TableProps) {
  const { draft, version } = useEditor();
  const [problem, setProblem] = useState('');
  const [outcome, setOutcome] = useState<Outcome>();
  const { content } = draft;
  const save = (): void => {
    const rows = mappingRows(content, step, version.locale);
    const data = rows.map((row) => [row.field, row.filledWith, row.formula, row.note].map(harmless));
    const place = step.target?.labels.at(-1) ?? 'mapping';
    downloadText(
      `${content.name} · ${place}.csv`,
      Papa.unparse({ fields: [...sheetColumns], data }, { newline: '\r\n' }),
      'text/csv',
    );
  };
  const take = async (file: File): Promise<void> => {
    setProblem('');
    setOutcome(undefined);
    const read = readTable(await file.text());
    if (typeof read === 'string') {
      setProblem(read);
      return;
    }
    const result = readMappingRows(content, step, read);
    if (result.changed > 0) draft.change(withStep<WriteStep>(step.id, () => result.step));
    setOutcome(result);
  };
  return (
    <Drawer title="Mapping as a table" isOpen={isOpen} onClose={onClose}>
      <p className="mb-3 text-ink-2">
        One row a field: its name, what fills it in words, the same as a formula, and your note. Change formulas and
        notes in a spreadsheet and import the table again. Rows that you didn’t change stay as they are.
      </p>
      <div className="flex flex-wrap gap-2">
        <Button look="main" onClick={save}>
          Save as CSV
        </Button>
        <label className="inline-flex h-[30px] cursor-pointer items-center rounded-md border border-line-1 bg-raised px-2.5 font-medium focus-within:outline-2 focus-within:outline-pine hover:bg-pine-faint">
          Import a table
          <input
            type="file"
            accept=".csv,text/csv"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = '';
              if (file) void take(file);
            }}
          />
        </label>
      </div>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {outcome && (
        <div role="status" className="mt-4">
          <p className="font-medium">
            {outcome.changed === 0 ? 'Nothing was different.' : `${counted(outcome.changed, 'row')} imported.`}
            {outcome.changed > 0 && ' It can be undone.'}
          </p>
          {outcome.refused.length > 0 && (
            <ul className="mt-2 list-disc pl-5 text-brick">
              {outcome.refused.map((one) => (
                <li key={one.row}>
                  Row {one.row}: {one.message}
                </li>
              ))}
            </ul>
          )}
        </div>
      )}
    </Drawer>
  );
}

/** The rows of a table, or the sentence why it is none. */
function readTable(text: string): GivenRow[] | string {
  const parsed = Papa.parse<Record<string, string>>(text.replace(/^\ufeff/, ''), {
    header: true,
    skipEmptyLines: 'greedy',
  });
  if (!parsed.meta.fields?.includes('field'))
    return 'The table has no column “field”. Its first row names the columns.';
  const given = (row: Record<string, string>, name: string): string | undefined =>
    Object.hasOwn(row, name) ? asGiven(row[name] ?? '') : undefined;
  return parsed.data.map((row) => ({
    field: given(row, 'field') ?? '',
    formula: given(row, 'formula'),
    note: given(row, 'note'),
  }));
}
