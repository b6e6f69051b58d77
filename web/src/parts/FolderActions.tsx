import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction, type WorkflowRow } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { downloadJson } from './download.ts';
import { counted } from './formats.ts';

interface FolderProps {
  readonly folder: string;
  readonly rows: readonly WorkflowRow[];
}

/** What can be done with all workflows of a folder at once. */
export function FolderActions({ folder, rows }: FolderProps) {
  const [asks, setAsks] = useState<'on' | 'off'>();
  const [left, setLeft] = useState<readonly { name: string; why: string | null }[]>([]);
  const isAnyOn = rows.some(({ isOn }) => isOn);
  const isAnyOff = rows.some(({ isOn }) => !isOn);
  const waiting = rows.reduce((sum, row) => sum + row.waiting, 0);
  const turn = useAction(async (isOn: boolean) => {
    const { turned } = await call('POST /api/folders/turn', { body: { folder, isOn } });
    setAsks(undefined);
    setLeft(turned.filter(({ why }) => why !== null));
  });
  const save = useAction(async () => {
    downloadJson(`${folder}.folder.json`, await call('GET /api/folders/export', { query: { folder } }));
  }, 'Exported. The file holds no access keys.');
  return (
    <span className="float-right flex gap-1 font-normal">
      {isAnyOff && (
        <Button look="quiet" disabled={turn.isPending} onClick={() => setAsks('on')}>
          Switch all on
        </Button>
      )}
      {isAnyOn && (
        <Button look="quiet" disabled={turn.isPending} onClick={() => setAsks('off')}>
          Switch all off
        </Button>
      )}
      <Button look="quiet" disabled={save.isPending} onClick={() => save.mutate(undefined)}>
        Export
      </Button>
      <ConfirmDialog
        title={asks === 'off' ? `Switch all of “${folder}” off?` : `Switch all of “${folder}” on?`}
        isOpen={asks !== undefined}
        onClose={() => setAsks(undefined)}
        confirm={asks === 'off' ? 'Switch them off' : 'Switch them on'}
        isBusy={turn.isPending}
        onConfirm={() => turn.mutate(asks === 'on')}
      >
        {asks === 'off' ? (
          <p>
            Nothing new comes in to {counted(rows.filter(({ isOn }) => isOn).length, 'workflow')}.
            {waiting > 0 && ` ${counted(waiting, 'record waits', 'records wait')} until they are on again.`}
          </p>
        ) : (
          <p>
            {counted(rows.filter(({ isOn }) => !isOn).length, 'workflow')} {isAnyOn ? 'more ' : ''}
            {rows.filter(({ isOn }) => !isOn).length === 1 ? 'goes' : 'go'} on, those that take in before those that
            hand over. What came meanwhile is taken in at the next check.
          </p>
        )}
      </ConfirmDialog>
      <ConfirmDialog
        title="Some stayed off"
        isOpen={left.length > 0}
        onClose={() => setLeft([])}
        confirm="All right"
        onConfirm={() => setLeft([])}
      >
        <ul className="list-disc pl-5">
          {left.map(({ name, why }) => (
            <li key={name}>
              <span className="font-medium">{name}</span>: {why}
            </li>
          ))}
        </ul>
      </ConfirmDialog>
    </span>
  );
}
