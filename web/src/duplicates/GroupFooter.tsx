import { Merge, Undo2 } from 'lucide-react';
import { call } from '../api/client.ts';
import { type DuplicateGroup, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { stateWords } from './labels.ts';

interface FooterProps {
  readonly group: DuplicateGroup;
  readonly canMerge: boolean;
  readonly isBusy: boolean;
  readonly onMerge: () => void;
  readonly onApart: () => void;
}

/** What can be done with a group now. */
export function GroupFooter({ group, canMerge, isBusy, onMerge, onApart }: FooterProps) {
  const undo = useAction(() => call('POST /api/duplicates/groups/:id/undo', { params: { id: group.id } }), 'Undone.');
  return (
    <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-5 py-3">
      {group.state === 'open' ? (
        <>
          {canMerge && (
            <Button look="main" icon={<Merge size={15} strokeWidth={1.75} />} disabled={isBusy} onClick={onMerge}>
              Same: merge them <kbd className="key">S</kbd>
            </Button>
          )}
          <Button disabled={isBusy} onClick={onApart}>
            Different: keep both <kbd className="key">D</kbd>
          </Button>
          <span className="ml-auto text-sm text-ink-2">
            next <kbd className="key">J</kbd>
          </span>
        </>
      ) : (
        <>
          <span className="text-ink-2">{stateWords[group.state]}</span>
          {group.state !== 'merging' && (
            <Button
              icon={<Undo2 size={15} strokeWidth={1.75} />}
              disabled={undo.isPending}
              onClick={() => undo.mutate(undefined)}
            >
              {group.state === 'different' ? 'Open this group again' : 'Undo the merge'}
            </Button>
          )}
        </>
      )}
    </footer>
  );
}
