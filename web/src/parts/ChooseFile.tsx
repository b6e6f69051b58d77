import { type ReactNode, useRef } from 'react';
import { Button } from './Button.tsx';

interface ChooseProps {
  /** What the input is called. */
  readonly label: string;
  /** Endings of names that are offered, parted by commas. */
  readonly accept: string;
  readonly onFiles: (files: readonly File[]) => void;
  readonly children: ReactNode;
  readonly look?: 'main' | 'plain';
  readonly icon?: ReactNode;
  readonly isBusy?: boolean;
  /** What it means, shown as it is pointed at. */
  readonly hint?: string;
  readonly takesSeveral?: boolean;
}

/** A button that lets a file be chosen. */
export function ChooseFile({ label, accept, onFiles, children, look, icon, isBusy, hint, takesSeveral }: ChooseProps) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button look={look} icon={icon} disabled={isBusy} data-hint={hint} onClick={() => input.current?.click()}>
        {children}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple={takesSeveral}
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const files = [...(event.currentTarget.files ?? [])];
          event.currentTarget.value = '';
          if (files.length > 0) onFiles(files);
        }}
      />
    </>
  );
}
