import { call } from '../../api/client.ts';
import { type FilesView, useAction } from '../../api/queries.ts';
import { Select } from '../../parts/Field.tsx';

type Recognise = FilesView['setting']['recognise'];

interface RecognisedProps {
  readonly inbox: string;
  readonly view: FilesView;
}

/** What makes a record of a later file the same one. */
export function RecognisedBy({ inbox, view: { setting, fields } }: RecognisedProps) {
  const save = useAction((recognise: Recognise) =>
    call('PUT /api/files/:id', { params: { id: inbox }, body: { recognise, isProposed: false } }),
  );
  const { recognise } = setting;
  const choices = [
    ...fields
      .filter(({ type }) => type !== 'list' && type !== 'record')
      .map(({ path, label }) => ({ value: `field ${path}`, label })),
    { value: 'content', label: 'all that it holds, in files of the same name' },
    { value: 'nothing', label: 'nothing: each file brings new records only' },
  ];
  const value = recognise.kind === 'field' ? `field ${recognise.path}` : recognise.kind;
  return (
    <>
      <Select
        aria-label="What recognises a record of a file"
        value={value}
        disabled={save.isPending}
        choices={choices}
        onChange={(event) => {
          const [kind, path = ''] = event.target.value.split(/ (.*)/s);
          save.mutate(kind === 'field' ? { kind, path } : { kind: kind === 'nothing' ? 'nothing' : 'content' });
        }}
      />
      {setting.isProposed && recognise.kind === 'field' && (
        <span className="ml-2 text-sm text-plum">proposed: it numbers each record of the first file</span>
      )}
      <p className="mt-1 text-sm text-ink-2">{means(recognise)}</p>
    </>
  );
}

function means({ kind }: Recognise): string {
  if (kind === 'field')
    return 'Where a later file has it again, the record counts only if something in it has changed.';
  if (kind === 'content')
    return 'A corrected file of the same name brings only the rows that are not in the one before. Two rows alike in one file are two records.';
  return 'Only a file that is the same as one before, to the last sign, is a repeat. A corrected file brings all of its rows again.';
}
