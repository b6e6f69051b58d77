import { Button } from './Button.tsx';
import { formatNumber } from './formats.ts';

interface PagerProps {
  /** The first row that is shown, from 0. */
  readonly from: number;
  /** Rows of one page. */
  readonly step: number;
  readonly total: number;
  readonly onFrom: (from: number) => void;
}

/** Which rows of a long list are shown, with the way to the ones before and after; nothing where all fit on one page. */
export function Pager({ from, step, total, onFrom }: PagerProps) {
  if (total <= step) return null;
  return (
    <p className="mt-2 flex items-center gap-2 text-ink-2">
      {formatNumber(from + 1)} to {formatNumber(Math.min(total, from + step))} of {formatNumber(total)}
      <Button disabled={from === 0} onClick={() => onFrom(from - step)}>
        Earlier
      </Button>
      <Button disabled={from + step >= total} onClick={() => onFrom(from + step)}>
        Later
      </Button>
    </p>
  );
}
