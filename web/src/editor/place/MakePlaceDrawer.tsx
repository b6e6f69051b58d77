import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { call } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { inputLook, TextField } from '../../parts/Field.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';

interface MakeProps {
  readonly connection: string;
  /** The file a tab is added to; undefined makes a new file. */
  readonly file: string | undefined;
  /** Column names to begin with, such as those of the source. */
  readonly columns: readonly string[];
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onMade: (path: readonly string[]) => void;
}

interface Given {
  name: string;
  tab: string;
  columns: string;
}

/** Makes a missing file or tab with its columns, and comes back to the spot. */
export function MakePlaceDrawer({ connection, file, columns, isOpen, onClose, onMade }: MakeProps) {
  const client = useQueryClient();
  const [problem, setProblem] = useState('');
  const { register, handleSubmit, formState } = useForm<Given>({
    values: { name: '', tab: 'Records', columns: columns.join('\n') },
  });
  const submit = handleSubmit(async ({ name, tab, columns: lines }) => {
    setProblem('');
    try {
      const { path } = await call('POST /api/connections/:id/places', {
        params: { id: connection },
        body: {
          above: file === undefined ? [] : [file],
          name,
          tab,
          columns: lines
            .split('\n')
            .map((one) => one.trim())
            .filter(Boolean),
        },
      });
      await client.invalidateQueries({ queryKey: ['places', connection] });
      onMade(path);
      onClose();
    } catch (error) {
      setProblem((error as Error).message);
    }
  });
  return (
    <Drawer title={file === undefined ? 'A new file' : `A new tab in ${file}`} isOpen={isOpen} onClose={onClose}>
      <form onSubmit={submit}>
        <TextField
          label={file === undefined ? 'Name of the file' : 'Name of the tab'}
          hint={file === undefined ? 'It ends in .xlsx or .csv; without an ending it is .xlsx.' : undefined}
          {...register('name', { required: 'Give it a name.' })}
          error={formState.errors.name?.message}
        />
        {file === undefined && <TextField label="Name of its tab" {...register('tab')} />}
        <label htmlFor="new-columns" className="mb-1 block font-medium">
          Columns, one a line
        </label>
        <textarea
          id="new-columns"
          rows={12}
          className={`${inputLook} mb-3 h-auto w-full py-1.5`}
          {...register('columns', { required: 'Give it at least one column.' })}
        />
        {problem && <ProblemMessage>{problem}</ProblemMessage>}
        <Button look="main" type="submit" className="mt-2" disabled={formState.isSubmitting}>
          {formState.isSubmitting ? 'Creating…' : 'Make it'}
        </Button>
      </form>
    </Drawer>
  );
}
