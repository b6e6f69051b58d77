import type { Trail } from '../api/queries.ts';
import { formatInstant } from '../parts/formats.ts';

interface TrailProps {
  readonly entries: Trail['entries'];
  readonly zone: string;
  readonly onOpen: (itemId: string) => void;
}

const tones: Readonly<Record<Trail['entries'][number]['tone'], string>> = {
  plain: '',
  left_out: 'text-stone',
  needs_you: 'text-brass',
  waiting: 'text-plum',
  undone: 'text-stone',
};

/** What happened, in dated sentences; each opens the record's way through that workflow. */
export function TrailList({ entries, zone, onOpen }: TrailProps) {
  return (
    <ol aria-label="Trail" className="space-y-3">
      {entries.map((entry, at) => {
        const when = formatInstant(entry.at, zone);
        const before = entries[at - 1];
        const isSame =
          before !== undefined && formatInstant(before.at, zone) === when && before.itemId === entry.itemId;
        const text = <span className={`font-serif text-md ${tones[entry.tone]}`}>{entry.text}</span>;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: entries only come after one another
          <li key={`${entry.at} ${at}`} className="grid grid-cols-[96px_1fr] gap-3">
            <span className="pt-0.5 text-right text-sm text-ink-2">{isSame ? '' : when}</span>
            <span className="min-w-0 border-l border-line-1 pl-3 break-words">
              {entry.itemId === null ? (
                text
              ) : (
                <button
                  type="button"
                  className="text-left hover:bg-pine-faint"
                  onClick={() => entry.itemId && onOpen(entry.itemId)}
                >
                  {text}
                </button>
              )}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
