import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ChooseRecords, type ChosenRecords, nothingChosen } from '../parts/ChooseRecords.tsx';
import { Drawer } from '../parts/Drawer.tsx';

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onBegun: (id: string) => void;
}

/** Two places to compare; how is proposed from their fields and values, and can be changed afterwards. */
export function NewComparison({ isOpen, onClose, onBegun }: NewProps) {
  const [from, setFrom] = useState<ChosenRecords>(nothingChosen);
  const [to, setTo] = useState<ChosenRecords>(nothingChosen);
  const begin = useAction(async () => {
    const place = ({ connection, path, labels }: ChosenRecords) => ({
      connection,
      path: [...path],
      labels: [...labels],
    });
    const { name, setting } = await call('POST /api/reconciles/propose', {
      body: { kind: 'places', from: place(from), to: place(to) },
    });
    onBegun((await call('POST /api/reconciles', { body: { name, setting } })).id);
  });
  return (
    <Drawer
      title="Compare two places"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button
          look="main"
          disabled={!from.isPlace || !to.isPlace || begin.isPending}
          onClick={() => begin.mutate(undefined)}
        >
          {begin.isPending ? 'Looking at both sides…' : 'Compare'}
        </Button>
      }
    >
      <h3 className="mb-2 text-lg">These records</h3>
      <ChooseRecords name="These" chosen={from} onChoose={setFrom} takesFile />
      <h3 className="mt-5 mb-2 text-lg">with these</h3>
      <ChooseRecords name="With" chosen={to} onChoose={setTo} takesFile />
      <p className="mt-4 text-ink-2">
        By what records are recognised and which fields are compared is suggested, and can be changed afterwards.
        Neither app is changed.
      </p>
    </Drawer>
  );
}
