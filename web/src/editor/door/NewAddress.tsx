import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { ConfirmDialog } from '../../parts/ConfirmDialog.tsx';

interface NewAddressProps {
  /** What becomes of the old one. */
  readonly means: string;
  readonly onRenew: () => void;
}

/** Gives a source another address, once it was said what becomes of the old one. */
export function NewAddress({ means, onRenew }: NewAddressProps) {
  const [isAsked, setAsked] = useState(false);
  return (
    <>
      <Button look="quiet" onClick={() => setAsked(true)}>
        New address
      </Button>
      <ConfirmDialog
        title="Replace the address?"
        isOpen={isAsked}
        confirm="Replace it"
        onConfirm={() => {
          setAsked(false);
          onRenew();
        }}
        onClose={() => setAsked(false)}
      >
        {means}
      </ConfirmDialog>
    </>
  );
}
