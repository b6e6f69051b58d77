import { fieldAt, type JsonRecord, type Place, type WriteStep } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction, usePlace } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { TextField } from '../../parts/Field.tsx';
import { MenuItem } from '../../parts/MenuItem.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { PageDialog } from '../document/page/PageDialog.tsx';
import { useEdition, useTakeEdition } from '../document/use-edition.ts';
import { useEditor } from '../draft/context.tsx';
import { withStep } from '../draft/edits.ts';
import { SwapDrawer } from './SwapDrawer.tsx';

interface MenuProps {
  readonly step: WriteStep;
  readonly target: Place;
  /** Names that a new column may take: the source's fields. */
  readonly columnNames: readonly string[];
  readonly onChange: () => void;
  readonly onPayload: () => void;
  readonly onTable: () => void;
  readonly onPlaceBy: () => void;
  /** Values of a sample, as they would be written; undefined where no sample gets here. */
  readonly recordOf: () => JsonRecord | undefined;
}

/** What can be changed about where it is written: the place, the connection, its columns. */
export function PlaceMenu(props: MenuProps) {
  const { step, target, columnNames, onChange, onPayload, onTable, onPlaceBy, recordOf } = props;
  const [drawer, setDrawer] = useState<'' | 'column' | 'swap' | 'page'>('');
  const { draft } = useEditor();
  const edition = useEdition(target);
  const takeEdition = useTakeEdition(step, target);
  const isDocument = target.described.document !== undefined;
  const canAdd = usePlace(target.connection, target.path).data?.canAddColumns ?? false;
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="inline-flex h-[30px] items-center gap-1 rounded-md px-2 font-medium text-pine hover:bg-pine-faint">
          Place <ChevronDown size={14} aria-hidden="true" />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="start"
            className="z-50 min-w-[200px] rounded-md border border-line-1 bg-raised p-1"
          >
            <MenuItem onSelect={onChange}>Another place</MenuItem>
            <MenuItem onSelect={() => setDrawer('swap')}>Another connection</MenuItem>
            {edition?.isPage && <MenuItem onSelect={() => setDrawer('page')}>Change the page</MenuItem>}
            {!isDocument && (
              <MenuItem onSelect={() => setDrawer('column')} isOff={!canAdd}>
                {canAdd ? 'Add a column' : 'Add a column (made in the app itself)'}
              </MenuItem>
            )}
            <MenuItem onSelect={onPlaceBy}>
              {step.placeBy ? 'The same place for every record' : 'A place calculated for each record'}
            </MenuItem>
            <DropdownMenu.Separator className="my-1 h-px bg-line-1" />
            <MenuItem onSelect={onPayload}>{isDocument ? 'See the document' : 'What will be sent'}</MenuItem>
            <MenuItem onSelect={onTable}>Mapping as a table (CSV)</MenuItem>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <ColumnDrawer
        step={step}
        target={target}
        names={columnNames.filter((name) => !fieldAt(target.described.fields, `/${name}`))}
        isOpen={drawer === 'column'}
        onClose={() => setDrawer('')}
      />
      <SwapDrawer connectionId={target.connection} isOpen={drawer === 'swap'} onClose={() => setDrawer('')} />
      {edition?.isPage && (
        <PageDialog
          template={edition.template}
          source={draft.content.start.source?.described}
          record={drawer === 'page' ? recordOf() : undefined}
          isOpen={drawer === 'page'}
          onClose={() => setDrawer('')}
          onSaved={(saved) => void takeEdition(saved.id, saved.edition)}
        />
      )}
    </>
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
  const { draft } = useEditor();
  const client = useQueryClient();
  const [name, setName] = useState('');
  const add = useAction(async (given: string) => {
    const { connection, path } = target;
    await call('POST /api/connections/:id/columns', { params: { id: connection }, body: { path, names: [given] } });
    const { described } = await client.fetchQuery({
      queryKey: ['place', connection, ...path],
      queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path } }),
      staleTime: 0,
    });
    draft.change(withStep<WriteStep>(step.id, (one) => ({ ...one, target: { ...target, described } })));
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
