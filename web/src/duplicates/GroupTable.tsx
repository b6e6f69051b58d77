import type { DuplicateGroup, DuplicateSearch } from '../api/queries.ts';
import { counted } from '../parts/formats.ts';
import { OutsideLink } from '../parts/OutsideLink.tsx';
import { type Golden, valueAt } from './golden.ts';

interface TableProps {
  readonly group: DuplicateGroup;
  readonly fields: DuplicateSearch['fields'];
  readonly canMerge: boolean;
  /** The record that stays. */
  readonly survivor: string;
  readonly golden: Golden;
  /** The records whose value a person took, by field. */
  readonly byHand: Readonly<Record<string, string>>;
  readonly onSurvivor: (id: string) => void;
  readonly onTake: (path: string, from: string) => void;
}

/** The records of a group side by side, and the golden record that they would become. */
export function GroupTable(props: TableProps) {
  const { group, fields, canMerge, survivor, golden, byHand, onSurvivor, onTake } = props;
  const isOpen = group.state === 'open';
  return (
    <table className="sheet">
      <thead>
        <tr>
          <th scope="col" className="w-[130px]">
            Field
          </th>
          {group.records.map((one) => (
            <th key={one.id} scope="col" className="min-w-[150px] align-top">
              <span className="block truncate text-ink-1">
                {one.url ? (
                  <OutsideLink href={one.url} className="hover:underline">
                    {one.title}
                  </OutsideLink>
                ) : (
                  one.title
                )}
              </span>
              <span className="block font-normal">
                <span className="font-mono">{one.id}</span>
                {one.links > 0 && ` · ${counted(one.links, 'link')}`}
              </span>
              {canMerge && (
                <label className="flex items-center gap-1.5 font-normal">
                  <input
                    type="radio"
                    name={`survivor ${group.id}`}
                    checked={survivor === one.id}
                    disabled={!isOpen}
                    onChange={() => onSurvivor(one.id)}
                    className="accent-pine"
                  />
                  stays
                </label>
              )}
            </th>
          ))}
          <th scope="col" className="min-w-[160px] bg-pine-tint! align-top text-pine!">
            The golden record
          </th>
        </tr>
      </thead>
      <tbody>
        {fields.map(({ path, label }) => {
          const won = golden[path];
          return (
            <tr key={path}>
              <th scope="row" className="bg-sheet! font-normal!">
                {label}
              </th>
              {group.records.map((one) => {
                const value = valueAt(one.record, path);
                const isWon = won?.from === one.id;
                return (
                  <td key={one.id} className="p-0!">
                    <button
                      type="button"
                      disabled={!isOpen || !canMerge}
                      aria-pressed={isWon}
                      data-hint={isOpen ? 'Use this value' : undefined}
                      onClick={() => onTake(path, one.id)}
                      className={`flex min-h-[31px] w-full items-center px-2.5 text-left disabled:cursor-default ${isWon ? 'bg-pine-faint font-medium' : ''}`}
                    >
                      {value || <em className="text-ink-3">empty</em>}
                    </button>
                  </td>
                );
              })}
              <td className="bg-pine-faint">
                {won ? won.value : <em className="text-ink-3">empty</em>}
                {byHand[path] && <span className="ml-1.5 text-xs text-brass">by hand</span>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
