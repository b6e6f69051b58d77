import { call } from '../api/client.ts';
import { ChooseTwoPlaces } from '../parts/ChooseTwoPlaces.tsx';

interface NewProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onBegun: (id: string) => void;
}

/** Two places to compare; how is proposed from their fields and values, and can be changed afterwards. */
export function NewComparison({ isOpen, onClose, onBegun }: NewProps) {
  return (
    <ChooseTwoPlaces
      title="Compare two places"
      isOpen={isOpen}
      onClose={onClose}
      second="with these"
      secondName="With"
      action="Compare"
      takesFile
      onChosen={async (from, to) => {
        const { name, setting } = await call('POST /api/reconciles/propose', { body: { kind: 'places', from, to } });
        onBegun((await call('POST /api/reconciles', { body: { name, setting } })).id);
      }}
    >
      By what records are recognised and which fields are compared is suggested, and can be changed afterwards. Neither
      app is changed.
    </ChooseTwoPlaces>
  );
}
