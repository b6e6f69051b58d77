import { call } from '../api/client.ts';
import { ChooseTwoPlaces } from '../parts/ChooseTwoPlaces.tsx';

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onMade: (id: string) => void;
}

/** Two places to keep in step; both directions are proposed from their fields and values. */
export function NewPair({ isOpen, onClose, onMade }: NewProps) {
  return (
    <ChooseTwoPlaces
      title="Keep two places in step"
      isOpen={isOpen}
      onClose={onClose}
      second="and these"
      secondName="And"
      action="Make the drafts"
      onChosen={async (from, to) =>
        onMade((await call('POST /api/in-step', { body: { kind: 'places', from, to } })).id)
      }
    >
      For each direction a workflow is drafted: how records are recognised and which field goes into which. Nothing is
      written to either app before you have rehearsed both and made them live.
    </ChooseTwoPlaces>
  );
}
