import { type ReactNode, useState } from 'react';
import { useAction } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { ChooseRecords, type ChosenRecords, nothingChosen } from './ChooseRecords.tsx';
import { Drawer } from './Drawer.tsx';

/** A place as it was chosen. */
export interface ChosenPlaceOf {
  readonly connection: string;
  readonly path: string[];
  readonly labels: string[];
}

interface TwoProps {
  readonly title: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  /** What stands above the second of them. */
  readonly second: string;
  /** What the second one is called for those who hear it. */
  readonly secondName: string;
  readonly action: string;
  readonly takesFile?: boolean;
  readonly onChosen: (from: ChosenPlaceOf, to: ChosenPlaceOf) => Promise<void>;
  /** What becomes of them. */
  readonly children: ReactNode;
}

const place = ({ connection, path, labels }: ChosenRecords): ChosenPlaceOf => ({
  connection,
  path: [...path],
  labels: [...labels],
});

/** A drawer in which the records of two places are chosen. */
export function ChooseTwoPlaces({
  title,
  isOpen,
  onClose,
  second,
  secondName,
  action,
  takesFile = false,
  onChosen,
  children,
}: TwoProps) {
  const [from, setFrom] = useState<ChosenRecords>(nothingChosen);
  const [to, setTo] = useState<ChosenRecords>(nothingChosen);
  const go = useAction(() => onChosen(place(from), place(to)));
  return (
    <Drawer
      title={title}
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button
          look="main"
          disabled={!from.isPlace || !to.isPlace || go.isPending}
          onClick={() => go.mutate(undefined)}
        >
          {go.isPending ? 'Looking at both sides…' : action}
        </Button>
      }
    >
      <h3 className="mb-2 text-lg">These records</h3>
      <ChooseRecords name="These" chosen={from} onChoose={setFrom} takesFile={takesFile} />
      <h3 className="mt-5 mb-2 text-lg">{second}</h3>
      <ChooseRecords name={secondName} chosen={to} onChoose={setTo} takesFile={takesFile} />
      <p className="mt-4 text-ink-2">{children}</p>
    </Drawer>
  );
}
