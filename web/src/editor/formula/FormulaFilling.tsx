import {
  bindFormula,
  callAt,
  checkFormula,
  type Formula,
  functionNamed,
  type NamedField,
  parameterAt,
  signatureOf,
  spellingOf,
  toStored,
  toTyped,
} from '@golden/core';
import { lazy, Suspense, useMemo, useState } from 'react';
import { useEditor } from '../draft/context.tsx';
import { TablesDrawer } from './TablesDrawer.tsx';

const FormulaEditor = lazy(() => import('./FormulaEditor.tsx'));

interface FormulaProps {
  readonly formula: Formula;
  readonly names: readonly NamedField[];
  readonly label: string;
  readonly onChange: (formula: Formula) => void;
}

/** How this person writes numbers and lists, by the language of the browser. */
export const spelling = spellingOf(navigator.language);

/** A formula as this person writes it. */
export const typedFormula = (stored: string): string => toTyped(stored, spelling);

/** A formula with its errors in words and the function under the cursor explained. */
export function FormulaFilling({ formula, names, label, onChange }: FormulaProps) {
  const { draft } = useEditor();
  const [at, setAt] = useState(0);
  const [isTablesOpen, setTablesOpen] = useState(false);
  const tables = draft.content.tables;
  const { issues } = useMemo(
    () =>
      checkFormula(
        formula.text,
        names,
        (tables ?? []).map((table) => table.name),
      ),
    [formula.text, names, tables],
  );
  const [issue] = formula.text.trim() === '' ? [] : issues;
  return (
    <div className="min-w-0">
      <Suspense fallback={<div className="h-[32px] rounded-md border border-line-input bg-raised" />}>
        <FormulaEditor
          value={typedFormula(formula.text)}
          spelling={spelling}
          names={names}
          issues={formula.text.trim() === '' ? noIssues : issues}
          label={label}
          onChange={(typed) => onChange(bindFormula(toStored(typed, spelling), names))}
          onCursor={setAt}
        />
      </Suspense>
      {issue ? (
        <p role="alert" className="mt-1 text-sm text-brick">
          {issue.message}
        </p>
      ) : (
        <Explained text={formula.text} at={at} onTables={() => setTablesOpen(true)} />
      )}
      <TablesDrawer isOpen={isTablesOpen} onClose={() => setTablesOpen(false)} />
    </div>
  );
}

const noIssues = [] as const;

/** The function under the cursor: how it is called, with the argument one is at, and what it gives. */
interface ExplainedProps {
  readonly text: string;
  readonly at: number;
  readonly onTables: () => void;
}

function Explained({ text, at, onTables }: ExplainedProps) {
  const call = callAt(text, at);
  const fn = call && functionNamed(call.name);
  if (!call || !fn)
    return (
      <p className="mt-1 text-sm text-ink-2">
        Fields and functions are offered as you type; <kbd className="key">Ctrl Space</kbd> lists them all.{' '}
        <button type="button" className="underlined" onClick={onTables}>
          Tables
        </button>
      </p>
    );
  const parameter = parameterAt(fn, call.argument);
  return (
    <p className="mt-1 text-sm text-ink-2">
      <code className="font-mono text-ink-1">{signatureOf(fn, spelling.separator)}</code>{' '}
      {parameter && fn.parameters.length > 1 && <>here: {parameter.name}. </>}
      {fn.summary}
      {fn.isExtra && ' Our own addition, not in the standard.'}
    </p>
  );
}
