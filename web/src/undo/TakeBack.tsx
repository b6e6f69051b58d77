import { goesBack } from '@golden/core';
import { Undo2 } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { type Item, useAction, useProspect } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { Details } from './Details.tsx';

/** Takes one record back, once it was seen what that removes and changes. */
export function TakeBack({ item }: { readonly item: Pick<Item, 'id' | 'title'> }) {
  const [isAsked, setAsked] = useState(false);
  const prospect = useProspect(item.id, isAsked);
  const takeBack = useAction(async () => {
    setAsked(false);
    await call('POST /api/items/:id/take-back', {
      params: { id: item.id },
      body: { leavesSent: prospect.data?.kind === 'sent' },
    });
  }, 'Taken back. Its apps hold what they held before.');
  const kind = prospect.data?.kind;
  // Who takes one back wants what is told there.
  const mayGoBack = kind !== undefined && goesBack(kind, { used: true, sent: true });
  return (
    <>
      <Button look="danger" icon={<Undo2 size={15} />} disabled={takeBack.isPending} onClick={() => setAsked(true)}>
        Take it back…
      </Button>
      <ConfirmDialog
        title={`Take “${item.title}” back`}
        isOpen={isAsked}
        onClose={() => setAsked(false)}
        confirm="Take it back"
        isBusy={!mayGoBack || takeBack.isPending}
        onConfirm={() => takeBack.mutate(undefined)}
      >
        {prospect.error && <ProblemMessage>{prospect.error.message}</ProblemMessage>}
        {!prospect.data && !prospect.error && <Loading what="what is there now" />}
        {prospect.data && (
          <>
            {kind === 'changed' && <p>Somebody changed it since it was written, so it stays as it is there.</p>}
            {kind === 'used' && <p>Something else was made of it since:</p>}
            <Details row={prospect.data} isWhole />
            {mayGoBack && <p className="text-ink-2">It can be sent again afterwards.</p>}
          </>
        )}
      </ConfirmDialog>
    </>
  );
}
