import { type FieldKind, FieldKindSchema, kindLabels } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { FileUp } from 'lucide-react';
import { useRef, useState } from 'react';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { asBase64 } from '../parts/bytes.ts';
import { ChooseRecords, type ChosenRecords, nothingChosen } from '../parts/ChooseRecords.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { Select } from '../parts/Field.tsx';

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onBegun: (id: string) => void;
}

/** What to search: the records of a place, or a file. */
export function NewSearch({ isOpen, onClose, onBegun }: NewProps) {
  const [chosen, setChosen] = useState<ChosenRecords>(nothingChosen);
  const { connection, path, labels, isPlace, app } = chosen;
  const [kinds, setKinds] = useState<Readonly<Record<string, FieldKind>>>({});
  const first = useRef<HTMLInputElement>(null);
  const begin = useAction(async (body: Parameters<typeof call<'POST /api/duplicates'>>[1]['body']) => {
    const { id } = await call('POST /api/duplicates', { body });
    onBegun(id);
  });
  const takeFile = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    begin.mutate({ kind: 'file', name: file.name, bytes: await asBase64(file) });
  };
  return (
    <Drawer
      title="Search for duplicates"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button
          look="main"
          disabled={!isPlace || begin.isPending}
          onClick={() =>
            begin.mutate({
              kind: 'place',
              place: { connection, path: [...path] },
              labels: [app, ...labels],
              kinds: { ...kinds },
            })
          }
        >
          Search
        </Button>
      }
    >
      <h3 className="mb-2 text-lg">The records of an app</h3>
      <ChooseRecords
        chosen={chosen}
        onChoose={(next) => {
          setChosen(next);
          if (next.connection !== connection) setKinds({});
        }}
      />
      {isPlace && <KindsOf connection={connection} path={path} kinds={kinds} onChange={setKinds} />}
      <h3 className="mt-5 mb-2 text-lg">Or a file</h3>
      <p className="mb-2 text-ink-2">
        A .csv, .xlsx or .ods file with the names of its columns in the first row. It is only read.
      </p>
      <input
        ref={first}
        type="file"
        accept=".csv,.xlsx,.xlsm,.ods"
        aria-label="A file"
        className="sr-only"
        onChange={(event) => void takeFile(event.target.files?.[0])}
      />
      <Button
        icon={<FileUp size={15} strokeWidth={1.75} />}
        disabled={begin.isPending}
        onClick={() => first.current?.click()}
      >
        Choose a file
      </Button>
    </Drawer>
  );
}

interface KindsProps {
  readonly connection: string;
  readonly path: readonly string[];
  readonly kinds: Readonly<Record<string, FieldKind>>;
  readonly onChange: (kinds: Readonly<Record<string, FieldKind>>) => void;
}

/** What the fields are, where somebody knows better than what is proposed from names and values. */
function KindsOf({ connection, path, kinds, onChange }: KindsProps) {
  const described = useQuery({
    queryKey: ['place', connection, ...path],
    queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path: [...path] } }),
    retry: false,
  }).data?.described;
  if (!described) return null;
  return (
    <details>
      <summary className="cursor-pointer text-pine">Say what the fields are</summary>
      <ul className="mt-2 grid gap-1">
        {described.fields
          .filter((field) => !field.fields && !field.readOnly)
          .map((field) => (
            <li key={field.path} className="flex items-center justify-between gap-2">
              <span className="truncate">{field.label}</span>
              <Select
                aria-label={`What ${field.label} is`}
                value={kinds[field.path] ?? ''}
                onChange={(event) => {
                  const { [field.path]: _old, ...others } = kinds;
                  onChange(event.target.value ? { ...others, [field.path]: event.target.value as FieldKind } : others);
                }}
                choices={[
                  { value: '', label: 'as suggested' },
                  ...FieldKindSchema.options.map((kind) => ({ value: kind, label: kindLabels[kind] })),
                ]}
              />
            </li>
          ))}
      </ul>
    </details>
  );
}
