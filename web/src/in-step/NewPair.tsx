import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ChooseRecords, type ChosenRecords, nothingChosen } from '../parts/ChooseRecords.tsx';
import { Drawer } from '../parts/Drawer.tsx';

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onMade: (id: string) => void;
}

/** Two places to keep in step; both directions are proposed from their fields and values. */
export function NewPair({ isOpen, onClose, onMade }: NewProps) {
  const [from, setFrom] = useState<ChosenRecords>(nothingChosen);
  const [to, setTo] = useState<ChosenRecords>(nothingChosen);
  const make = useAction(async () => {
    const place = ({ connection, path, labels }: ChosenRecords) => ({
      connection,
      path: [...path],
      labels: [...labels],
    });
    const { id } = await call('POST /api/in-step', { body: { kind: 'places', from: place(from), to: place(to) } });
    onMade(id);
  });
  return (
    <Drawer
      title="Keep two places in step"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button
          look="main"
          disabled={!from.isPlace || !to.isPlace || make.isPending}
          onClick={() => make.mutate(undefined)}
        >
          {make.isPending ? 'Looking at both sides…' : 'Make the drafts'}
        </Button>
      }
    >
      <h3 className="mb-2 text-lg">These records</h3>
      <ChooseRecords name="These" chosen={from} onChoose={setFrom} />
      <h3 className="mt-5 mb-2 text-lg">and these</h3>
      <ChooseRecords name="And" chosen={to} onChoose={setTo} />
      <p className="mt-4 text-ink-2">
        For each direction a workflow is drafted: how records are recognised and which field goes into which. Nothing is
        written to either app before you have rehearsed both and made them live.
      </p>
    </Drawer>
  );
}
