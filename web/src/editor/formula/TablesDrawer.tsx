import type { LookupTable, WorkflowContent } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { EmptyState } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';

interface TablesProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** Rows as a person writes them, one a line: `Germany = DE`. Lines without the sign are kept as they are, and mean nothing yet. */
const readRows = (text: string): LookupTable['rows'] =>
  text.split('\n').flatMap((line) => {
    const at = line.search(/[=\t]/);
    return at > 0 ? [{ from: line.slice(0, at).trim(), to: line.slice(at + 1).trim() }] : [];
  });

const writeRows = (rows: LookupTable['rows']): string => rows.map((row) => `${row.from} = ${row.to}`).join('\n');

/** The small tables kept with the workflow, which FROM.TABLE looks up in. */
export function TablesDrawer({ isOpen, onClose }: TablesProps) {
  const { draft } = useEditor();
  const tables = draft.content.tables ?? [];
  const put = (next: NonNullable<WorkflowContent['tables']>): void =>
    draft.change(({ tables: _old, ...content }) => (next.length > 0 ? { ...content, tables: next } : content));
  const add = (
    <Button icon={<Plus size={14} />} onClick={() => put([...tables, { name: freshName(tables), rows: [] }])}>
      Add a table
    </Button>
  );
  return (
    <Drawer title="Tables of this workflow" isOpen={isOpen} onClose={onClose}>
      <p className="mb-3 text-ink-2">
        A formula looks a value up with <code className="font-mono">FROM.TABLE(value, "name")</code>. Capital and small
        letters count as the same.
      </p>
      {tables.length === 0 ? (
        <EmptyState title="No table yet." action={add}>
          For example country names and their codes, or the shop’s words and the ledger’s.
        </EmptyState>
      ) : (
        <>
          {tables.map((table, at) => (
            // Tables are told apart by their place; their names are being written here.
            // biome-ignore lint/suspicious/noArrayIndexKey: see above
            <section key={at} className="mb-4">
              <div className="mb-1 flex items-center gap-2">
                <input
                  aria-label={`Name of table ${at + 1}`}
                  value={table.name}
                  maxLength={60}
                  onChange={(event) =>
                    event.target.value && put(tables.with(at, { ...table, name: event.target.value }))
                  }
                  className={`${inputLook} flex-1`}
                />
                <button
                  type="button"
                  aria-label={`Remove ${table.name}`}
                  onClick={() => put(tables.toSpliced(at, 1))}
                  className="rounded-sm p-1.5 text-ink-2 hover:bg-pine-tint"
                >
                  <X size={14} />
                </button>
              </div>
              <RowsField
                label={`Rows of ${table.name}`}
                rows={table.rows}
                onKeep={(rows) => put(tables.with(at, { ...table, rows: [...rows] }))}
              />
            </section>
          ))}
          {add}
        </>
      )}
    </Drawer>
  );
}

interface RowsProps {
  readonly label: string;
  readonly rows: LookupTable['rows'];
  readonly onKeep: (rows: LookupTable['rows']) => void;
}

/** Kept as text while it is written, so that a line under way isn't lost. */
function RowsField({ label, rows, onKeep }: RowsProps) {
  const [text, setText] = useState(() => writeRows(rows));
  return (
    <textarea
      aria-label={label}
      placeholder="Germany = DE"
      rows={Math.min(12, Math.max(3, rows.length + 1))}
      value={text}
      spellCheck={false}
      onChange={(event) => {
        setText(event.target.value);
        onKeep(readRows(event.target.value));
      }}
      className="w-full rounded-md border border-line-input bg-raised px-2 py-1 font-mono text-sm"
    />
  );
}

function freshName(tables: readonly LookupTable[]): string {
  let number = tables.length + 1;
  while (tables.some((table) => table.name === `table ${number}`)) number += 1;
  return `table ${number}`;
}
