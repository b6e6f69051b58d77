import { kindLabels, type SurvivorRule, survivorRuleLabels } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { Download, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { type DuplicateGroup, type DuplicateSearch, useAction, useConnections } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { counted, formatInstant } from '../parts/formats.ts';

interface AboveProps {
  readonly id: string;
  readonly groups: readonly DuplicateGroup[];
  readonly usual: SurvivorRule;
  readonly onClose: () => void;
}

/** Merges all groups that are at least so sure, with how many they are. */
export function AboveDialog({ id, groups, usual, onClose }: AboveProps) {
  const [line, setLine] = useState(99);
  const merge = useAction(async () => {
    const { merged, left } = await call('POST /api/duplicates/:id/settle-above', {
      params: { id },
      body: { line: line / 100, usual },
    });
    toast(
      `${counted(merged, 'group')} merged${left > 0 ? `, ${left} left with their reason` : ''}. Each can be undone.`,
    );
    onClose();
  });
  const count = groups.filter((one) => !one.isAsked && one.state === 'open' && one.probability >= line / 100).length;
  return (
    <ConfirmDialog
      title="Merge all that are sure enough"
      isOpen
      onClose={onClose}
      isBusy={merge.isPending}
      confirm={merge.isPending ? 'Merging…' : `Merge ${counted(count, 'group')}`}
      onConfirm={() => count > 0 && merge.mutate(undefined)}
    >
      <label className="flex items-center gap-2">
        Groups that are at least
        <input
          type="number"
          min={50}
          max={99.9}
          step={0.1}
          value={line}
          onChange={(event) => setLine(Number(event.target.value))}
          className="h-[30px] w-[76px] rounded-md border border-line-input bg-raised px-2 text-right"
        />
        % sure
      </label>
      <p className="text-ink-2">
        In each field {survivorRuleLabels[usual]} wins; the most complete record stays, and what leads to the others
        leads to it. Pairs that are only asked are left.
      </p>
    </ConfirmDialog>
  );
}

/** Saves all groups as CSV. */
export function ExportButton({ id }: { readonly id: string }) {
  const save = useAction(async () => {
    const { name, text } = await call('GET /api/duplicates/:id/export', { params: { id } });
    const url = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
    const link = document.createElement('a');
    link.href = url;
    link.download = name;
    link.click();
    URL.revokeObjectURL(url);
  });
  return (
    <Button icon={<Download size={15} strokeWidth={1.75} />} onClick={() => save.mutate(undefined)}>
      CSV
    </Button>
  );
}

/** What each field was taken for, and why; another choice searches again. */
export function FieldsDrawer({
  search,
  isOpen,
  onClose,
}: {
  readonly search: DuplicateSearch;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}) {
  return (
    <Drawer title="What was compared" isOpen={isOpen} onClose={onClose}>
      <table className="sheet border border-line-1">
        <thead>
          <tr>
            <th scope="col">Field</th>
            <th scope="col">Read as</th>
            <th scope="col">Because</th>
          </tr>
        </thead>
        <tbody>
          {search.fields.map((field) => (
            <tr key={field.path}>
              <td>{field.label}</td>
              <td>{kindLabels[field.kind]}</td>
              <td className="text-ink-2">{field.because}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Drawer>
  );
}

/** Every merge, the newest first; each can be undone. */
export function MergesDrawer({
  isOpen,
  zone,
  onClose,
}: {
  readonly isOpen: boolean;
  readonly zone: string;
  readonly onClose: () => void;
}) {
  const merges =
    useQuery({ queryKey: ['duplicates', 'merges'], queryFn: () => call('GET /api/merges', {}), enabled: isOpen })
      .data ?? [];
  const connections = useConnections().data ?? [];
  const undo = useAction((id: string) => call('POST /api/merges/:id/undo', { params: { id } }), 'Undone.');
  const words = {
    merging: 'under way',
    merged: 'merged',
    undoing: 'being undone',
    undone: 'undone',
    unsure: 'needs a look',
  };
  return (
    <Drawer title="What was merged" isOpen={isOpen} onClose={onClose} isWide>
      {merges.length === 0 && <p className="text-ink-2">Nothing was merged yet.</p>}
      <ul>
        {merges.map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line-2 py-2">
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium">{one.survivor.title ?? one.survivor.id}</span>
              <span className="block text-sm text-ink-2">
                {connections.find((each) => each.id === one.connectionId)?.name}, {one.place.join(' → ')} · with{' '}
                {one.others.join(', ')} · {formatInstant(one.madeAt, zone)} · {words[one.state]}
              </span>
              {one.message && <span className="block text-sm text-brick">{one.message}</span>}
            </span>
            {(one.state === 'merged' || one.state === 'unsure') && (
              <Button
                icon={<Undo2 size={15} strokeWidth={1.75} />}
                disabled={undo.isPending}
                onClick={() => undo.mutate(one.id)}
              >
                Undo
              </Button>
            )}
          </li>
        ))}
      </ul>
    </Drawer>
  );
}
