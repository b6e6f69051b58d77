import { FileSpreadsheet } from 'lucide-react';
import { call } from '../api/client.ts';
import { useAction, useConnections, usePlaces } from '../api/queries.ts';
import { asBase64 } from './bytes.ts';
import { ChooseFile } from './ChooseFile.tsx';
import { Chooser } from './Chooser.tsx';
import { ProblemMessage } from './Messages.tsx';

/** The records of an app that were chosen, step by step from the app down to where they stand. */
export interface ChosenRecords {
  readonly connection: string;
  /** What the connection is called. */
  readonly app: string;
  readonly path: readonly string[];
  readonly labels: readonly string[];
  /** True once records stand there. */
  readonly isPlace: boolean;
}

export const nothingChosen: ChosenRecords = { connection: '', app: '', path: [], labels: [], isPlace: false };

interface ChooseProps {
  readonly chosen: ChosenRecords;
  readonly onChoose: (chosen: ChosenRecords) => void;
  /** Takes a file as well: a copy of it is kept and read. */
  readonly takesFile?: boolean;
  /** What stands before the names of the choices, where two of these stand on one page. */
  readonly name?: string;
}

/** An app, then where in it: a list to choose from for each step, until records stand there. */
export function ChooseRecords({ chosen, onChoose, name, takesFile = false }: ChooseProps) {
  const connections = useConnections().data ?? [];
  const { connection, path, labels, isPlace } = chosen;
  const keep = useAction(async (file: File) => {
    const place = await call('POST /api/lists/place', { body: { name: file.name, bytes: await asBase64(file) } });
    onChoose({ ...place, isPlace: true });
  });
  const called = (what: string): string => (name === undefined ? what : `${name}: ${what}`);
  return (
    <div className="mb-3 flex flex-wrap gap-2">
      <Chooser
        aria-label={called('App')}
        value={connection}
        placeholder="Choose an app"
        onChoose={(id) => {
          const app = connections.find((one) => one.id === id)?.name ?? '';
          onChoose({ ...nothingChosen, connection: id, app });
        }}
        choices={connections.map((one) => ({ value: one.id, label: one.name }))}
      />
      {connection &&
        [...path.keys(), path.length].map((depth) => (
          <Step
            key={`${connection} ${path.slice(0, depth).join('/')}`}
            name={called(depth === 0 ? 'Where in it' : 'Which there')}
            connection={connection}
            above={path.slice(0, depth)}
            chosen={path[depth] ?? ''}
            isLast={isPlace && depth === path.length}
            onChoose={(id, label, isRecords) =>
              onChoose({
                ...chosen,
                path: [...path.slice(0, depth), id],
                labels: [...labels.slice(0, depth), label],
                isPlace: isRecords,
              })
            }
          />
        ))}
      {takesFile && connection === '' && (
        <ChooseFile
          icon={<FileSpreadsheet size={15} strokeWidth={1.75} />}
          isBusy={keep.isPending}
          label={called('A file')}
          accept=".csv,.xlsx,.xlsm,.ods"
          onFiles={([file]) => file && keep.mutate(file)}
        >
          {keep.isPending ? 'Reading the file…' : 'or a file'}
        </ChooseFile>
      )}
    </div>
  );
}

interface StepProps {
  readonly name: string;
  readonly connection: string;
  readonly above: readonly string[];
  readonly chosen: string;
  readonly isLast: boolean;
  readonly onChoose: (id: string, label: string, isRecords: boolean) => void;
}

function Step({ name, connection, above, chosen, isLast, onChoose }: StepProps) {
  const places = usePlaces(isLast ? '' : connection, above);
  if (isLast) return null;
  if (places.error) return <ProblemMessage>{places.error.message}</ProblemMessage>;
  return (
    <Chooser
      aria-label={name}
      value={chosen}
      isLooking={places.isFetching}
      onLookAgain={() => void places.refetch()}
      onChoose={(chosenId) => {
        const one = places.data?.find(({ id }) => id === chosenId);
        if (one) onChoose(one.id, one.label, one.isPlace);
      }}
      choices={(places.data ?? []).map((one) => ({ value: one.id, label: one.label }))}
    />
  );
}
