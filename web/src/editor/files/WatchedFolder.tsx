import type { Start } from '@golden/core';
import { FolderSearch } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type FilesView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { counted } from '../../parts/formats.ts';
import { useEditor } from '../draft/context.tsx';

type Setting = FilesView['setting'];
type Watch = NonNullable<Setting['watch']>;

/** Apps whose connections are folders with files. */
const folderApps: ReadonlySet<string> = new Set(['folder', 'workbook_shelf', 'file_server']);

/** Minutes between two looks, unless another number is chosen. */
const usualMinutes = 5;

const afterwards: readonly { readonly value: Watch['afterwards']; readonly label: string }[] = [
  { value: 'moved', label: 'is moved into the folder “Done” there' },
  { value: 'marked', label: 'gets “done” before its name' },
  { value: 'left', label: 'stays as it is' },
];

interface WatchedProps {
  readonly inbox: string;
  readonly view: FilesView;
  readonly start: Start;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A folder in which files appear: which, what its files are called, and what happens to them afterwards. */
export function WatchedFolder({ inbox, view: { setting, own }, start, onChange }: WatchedProps) {
  const { connections } = useEditor();
  // What was changed last stands at once: the next change goes by it, not by what is still on its way.
  const [watch, setWatch] = useState(setting.watch);
  const [pattern, setPattern] = useState(watch?.pattern ?? '*.csv');
  const store = useAction((next: Setting['watch']) =>
    call('PUT /api/files/:id', { params: { id: inbox }, body: { watch: next } }),
  );
  const save = (next: Setting['watch']): void => {
    setWatch(next);
    store.mutate(next);
  };
  const [told, setTold] = useState<string>();
  const look = useAction(async () => {
    const { taken, growing, trouble } = await call('POST /api/files/:id/folder', { params: { id: inbox } });
    setTold(
      trouble ??
        (taken + growing === 0
          ? 'No file is new there.'
          : `${counted(taken, 'file')} taken${growing > 0 ? `, ${growing} still being written` : ''}.`),
    );
  });
  const folders = connections.filter(({ app }) => folderApps.has(app));
  const minutes = start.trigger.kind === 'event' ? start.trigger.alsoEvery : undefined;
  const choose = (connection: string): void => {
    setTold(undefined);
    save(connection === '' ? null : { afterwards: 'left', ...watch, connection, pattern });
    onChange({ trigger: { kind: 'event', ...(connection !== '' && { alsoEvery: minutes ?? usualMinutes }) } });
  };
  if (folders.length === 0)
    return (
      <p className="text-ink-2">
        Connect a folder or a file server under Connections, then files that appear there can start it too.
      </p>
    );
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Select
        aria-label="The folder that is watched"
        value={watch?.connection ?? ''}
        onChange={(event) => choose(event.target.value)}
        choices={[
          { value: '', label: 'No folder is watched' },
          ...folders.map(({ id, name }) => ({ value: id, label: name })),
        ]}
      />
      {watch && (
        <>
          <span className="text-ink-2">files called</span>
          <input
            aria-label="What its files are called"
            className={`${inputLook} w-36`}
            value={pattern}
            onChange={(event) => setPattern(event.target.value)}
            onBlur={() => pattern.trim() !== watch.pattern && save({ ...watch, pattern: pattern.trim() })}
          />
          <span className="text-ink-2">every</span>
          <Select
            aria-label="How often the folder is looked into"
            value={String(minutes ?? usualMinutes)}
            onChange={(event) => onChange({ trigger: { kind: 'event', alsoEvery: Number(event.target.value) } })}
            choices={[1, 5, 15, 60, 240, 1440].map((count) => ({
              value: String(count),
              label: count < 60 ? counted(count, 'minute') : counted(count / 60, 'hour'),
            }))}
          />
          <span className="basis-full" />
          <span className="text-ink-2">A file that was taken</span>
          <Select
            aria-label="What happens to a file afterwards"
            value={watch.afterwards}
            onChange={(event) => save({ ...watch, afterwards: event.target.value as Watch['afterwards'] })}
            choices={[...afterwards]}
          />
          <Button
            icon={<FolderSearch size={14} strokeWidth={1.75} />}
            disabled={look.isPending || store.isPending}
            onClick={() => look.mutate(undefined)}
          >
            {look.isPending ? 'Looking…' : 'Look there now'}
          </Button>
          {told && (
            <span role="status" className="text-sm text-pine">
              {told}
            </span>
          )}
          {(own.length > 0 || watch.takesOwn) && (
            <label className="flex basis-full items-center gap-2 text-ink-2">
              <input
                type="checkbox"
                checked={watch.takesOwn ?? false}
                onChange={(event) => save({ ...watch, takesOwn: event.target.checked || undefined })}
                className="accent-pine"
              />
              {own.length > 0
                ? `Take ${own.join(', ')} too: our workflows write there, so it starts nothing.`
                : 'Files that our workflows write are taken too.'}
            </label>
          )}
        </>
      )}
    </div>
  );
}
