import { fieldAt, type Place, type WriteStep } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { ChevronDown, ChevronRight, Columns3, Plug } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { useDo, usePlace } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { Select, TextField } from '../parts/Field.tsx';
import { formatNumber } from '../parts/formats.ts';
import { ProblemMessage } from '../parts/Messages.tsx';
import { useEditor } from './context.tsx';
import { withStep } from './edits.ts';
import { FirstRows } from './PlacePreview.tsx';
import { SwapDrawer } from './SwapDrawer.tsx';

interface HowProps {
  readonly step: WriteStep;
  readonly target: Place;
  /** Names that a new column may take: the source's fields. */
  readonly columnNames: readonly string[];
}

/** How it is written there: append, or create or update by a key; and what stands there already. */
export function HowItIsWritten({ step, target, columnNames }: HowProps) {
  const { draft } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const [drawer, setDrawer] = useState<'' | 'column' | 'swap'>('');
  const there = usePlace(target.connection, target.path);
  const { described } = target;
  const keys = described.fields.filter((field) => !described.findBy || described.findBy.includes(field.path));
  const holds = there.data?.holds;
  const change = (next: Partial<WriteStep>): void =>
    draft.change(withStep<WriteStep>(step.id, (one) => ({ ...one, ...next })));
  return (
    <div className="border-b border-line-1 px-5 py-2">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5">
        <Select
          aria-label="How it is written"
          value={step.mode}
          onChange={(event) => change({ mode: event.target.value as WriteStep['mode'] })}
          choices={[
            { value: 'create_or_update', label: 'create or update' },
            { value: 'append', label: `append a ${described.singular} each time` },
          ]}
        />
        {step.mode === 'create_or_update' && (
          <>
            <span className="text-ink-2">the {described.singular} that has the same</span>
            <Select
              aria-label="The field that recognises a record"
              value={step.key ?? ''}
              onChange={(event) => change({ key: event.target.value || undefined })}
              choices={[
                { value: '', label: 'choose a field' },
                ...keys.map((field) => ({ value: field.path, label: field.label })),
              ]}
            />
          </>
        )}
        <span className="ml-auto flex items-center gap-1">
          {there.data?.canAddColumns && (
            <Button look="quiet" icon={<Columns3 size={14} strokeWidth={1.75} />} onClick={() => setDrawer('column')}>
              Add a column
            </Button>
          )}
          <Button look="quiet" icon={<Plug size={14} strokeWidth={1.75} />} onClick={() => setDrawer('swap')}>
            Swap connection
          </Button>
          <Button
            look="quiet"
            aria-expanded={isOpen}
            icon={isOpen ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
            onClick={() => setOpen(!isOpen)}
          >
            {holds === null || holds === undefined ? 'What is there' : `Holds ${formatNumber(holds)}`}
          </Button>
        </span>
      </div>
      {there.error && <ProblemMessage>{there.error.message}</ProblemMessage>}
      {isOpen && (
        <div className="mt-2">
          <FirstRows fields={described.fields} rows={(there.data?.first ?? []).slice(0, 5)} />
        </div>
      )}
      <ColumnDrawer
        step={step}
        target={target}
        names={columnNames.filter((name) => !fieldAt(described.fields, `/${name}`))}
        isOpen={drawer === 'column'}
        onClose={() => setDrawer('')}
      />
      <SwapDrawer connectionId={target.connection} isOpen={drawer === 'swap'} onClose={() => setDrawer('')} />
    </div>
  );
}

interface ColumnProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly names: readonly string[];
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** Adds a missing column in the destination itself, and takes it onto the sheet. */
function ColumnDrawer({ step, target, names, isOpen, onClose }: ColumnProps) {
  const { draft, lookAgain } = useEditor();
  const client = useQueryClient();
  const [name, setName] = useState('');
  const add = useDo(async (given: string) => {
    const { connection, path } = target;
    await call('POST /api/connections/:id/columns', { params: { id: connection }, body: { path, names: [given] } });
    const { described } = await client.fetchQuery({
      queryKey: ['place', connection, ...path],
      queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path } }),
      staleTime: 0,
    });
    draft.change(withStep<WriteStep>(step.id, (one) => ({ ...one, target: { ...target, described } })));
    lookAgain();
    setName('');
    onClose();
  });
  return (
    <Drawer title={`A new column in ${target.labels.join(' → ')}`} isOpen={isOpen} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate(name.trim());
        }}
      >
        <TextField
          label="Name of the column"
          list="new-column-names"
          hint="It is added after the last one, in the file itself."
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <datalist id="new-column-names">
          {names.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        {add.error && <ProblemMessage>{add.error.message}</ProblemMessage>}
        <Button look="main" type="submit" disabled={name.trim() === '' || add.isPending}>
          Add it
        </Button>
      </form>
    </Drawer>
  );
}
