import { EllipsisVertical } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useHanding, useWorkflows } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { Drawer } from './Drawer.tsx';
import { downloadJson } from './download.ts';
import { TextField } from './Field.tsx';
import { MenuItem } from './MenuItem.tsx';

interface MenuProps {
  readonly id: string;
  readonly name: string;
  readonly folder: string;
  readonly isOn: boolean;
}

/** What can be done with a whole workflow: duplicate, put away, export, remove. */
export function WorkflowMenu({ id, name, folder, isOn }: MenuProps) {
  const navigate = useNavigate();
  const [open, setOpen] = useState<'' | 'folder' | 'remove'>('');
  const duplicate = useAction(async () => {
    const made = await call('POST /api/workflows/:id/duplicate', { params: { id } });
    await navigate(`/workflows/${made.id}`);
  }, 'This is the copy. It is off.');
  const save = useAction(async () => {
    downloadJson(`${name}.workflow.json`, await call('GET /api/workflows/:id/export', { params: { id } }));
  }, 'Exported. The file holds no access keys.');
  const compare = useAction(async () => {
    const { name: called, setting } = await call('POST /api/reconciles/propose', {
      body: { kind: 'workflow', workflow: id },
    });
    const made = await call('POST /api/reconciles', { body: { name: called, setting } });
    await navigate(`/reconcile?id=${made.id}`);
  });
  const bothWays = useAction(async () => {
    const made = await call('POST /api/in-step', { body: { kind: 'workflow', workflow: id } });
    await navigate(`/in-step?id=${made.id}`);
  });
  const from = useHanding(id, open === 'remove').data?.from ?? [];
  const remove = useAction(async () => {
    await call('DELETE /api/workflows/:id', { params: { id } });
    setOpen('');
    await navigate('/workflows');
  }, 'Removed.');
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={`What to do with ${name}`}
          className="flex size-[30px] items-center justify-center rounded-md border border-line-1 bg-raised text-ink-2 hover:bg-pine-faint"
        >
          <EllipsisVertical size={15} strokeWidth={1.75} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-50 min-w-[180px] rounded-md border border-line-1 bg-raised p-1"
          >
            <MenuItem onSelect={() => duplicate.mutate(undefined)}>Duplicate</MenuItem>
            <MenuItem onSelect={() => compare.mutate(undefined)}>What should be there and isn’t</MenuItem>
            <MenuItem onSelect={() => bothWays.mutate(undefined)}>Keep in step, both ways</MenuItem>
            <MenuItem onSelect={() => setOpen('folder')}>Put into a folder</MenuItem>
            <MenuItem onSelect={() => save.mutate(undefined)}>Export as a file</MenuItem>
            <MenuItem onSelect={() => setOpen('remove')} isOff={isOn}>
              {isOn ? 'Remove (switch it off first)' : 'Remove'}
            </MenuItem>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <FolderDrawer id={id} folder={folder} isOpen={open === 'folder'} onClose={() => setOpen('')} />
      <ConfirmDialog
        title={`Remove “${name}”`}
        isOpen={open === 'remove'}
        onClose={() => setOpen('')}
        onConfirm={() => remove.mutate(undefined)}
        confirm="Remove it"
        isBusy={remove.isPending}
      >
        <p>Its versions, runs and history are deleted too. What it has written to other apps stays.</p>
        {from.length > 0 && (
          <p className="rounded-md bg-brass-tint px-3 py-2 text-brass">
            {from.map(({ name: other }) => `“${other}”`).join(', ')} {from.length === 1 ? 'hands' : 'hand'} over to it.
            What comes from there stops at that step and needs you, until another workflow is chosen there.
          </p>
        )}
      </ConfirmDialog>
    </>
  );
}

interface FolderProps {
  readonly id: string;
  readonly folder: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

function FolderDrawer({ id, folder, isOpen, onClose }: FolderProps) {
  const [name, setName] = useState(folder);
  const known = [...new Set((useWorkflows().data ?? []).map((one) => one.folder).filter(Boolean))];
  const put = useAction(async (given: string) => {
    await call('PUT /api/workflows/:id/folder', { params: { id }, body: { folder: given } });
    onClose();
  });
  return (
    <Drawer title="Put into a folder" isOpen={isOpen} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          put.mutate(name);
        }}
      >
        <TextField
          label="Folder"
          hint="A new name makes a new folder. Leave it empty to take the workflow out."
          list="folders"
          maxLength={60}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <datalist id="folders">
          {known.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        <Button look="main" type="submit" disabled={put.isPending}>
          Put it there
        </Button>
      </form>
    </Drawer>
  );
}
