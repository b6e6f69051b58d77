import { type FieldProblem, readInstant, toText, type Value } from '@golden/core';
import { useState } from 'react';
import { Button } from './Button.tsx';
import { formatInstant } from './formats.ts';
import { useZone } from './use-zone.ts';

type Side = 'source' | 'there';

interface WhoseProps {
  readonly fields: readonly FieldProblem[];
  readonly isBusy: boolean;
  readonly onSay: (values: Record<string, Value>) => void;
}

/** Source and destination beside each other, field by field: a person says whose value counts. */
export function WhoseValue({ fields, isBusy, onSay }: WhoseProps) {
  const [said, setSaid] = useState<Readonly<Record<string, Side>>>({});
  const isAllSaid = fields.every(({ path }) => said[path] !== undefined);
  const choose = (side: Side): void => setSaid(Object.fromEntries(fields.map(({ path }) => [path, side])));
  return (
    <form
      className="mb-2"
      onSubmit={(event) => {
        event.preventDefault();
        onSay(
          Object.fromEntries(
            fields.map(({ path, given, there }) => [path, (said[path] === 'there' ? there : given) ?? null]),
          ),
        );
      }}
    >
      <table className="sheet mb-2 w-full bg-sheet">
        <thead>
          <tr>
            <th scope="col">Field</th>
            {(['source', 'there'] as const).map((side) => (
              <th key={side} scope="col">
                <span className="flex items-center justify-between gap-2">
                  <span>
                    {side === 'source' ? 'The source has' : 'There now'}
                    <ChangedAt at={side === 'source' ? fields[0]?.givenAt : fields[0]?.thereAt} />
                  </span>
                  {fields.length > 1 && (
                    <Button look="quiet" type="button" onClick={() => choose(side)}>
                      All of these
                    </Button>
                  )}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {fields.map(({ path, label, given, there }) => (
            <tr key={path}>
              <th scope="row" className="font-medium">
                {label}
              </th>
              {(['source', 'there'] as const).map((side) => (
                <td key={side}>
                  <label className="flex min-h-6 items-center gap-1.5">
                    <input
                      type="radio"
                      name={path}
                      checked={said[path] === side}
                      onChange={() => setSaid({ ...said, [path]: side })}
                    />
                    <span className="[overflow-wrap:anywhere]">
                      {toText(side === 'source' ? given : there) || 'empty'}
                    </span>
                  </label>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <Button look="main" type="submit" disabled={isBusy || !isAllSaid}>
        Use what I chose
      </Button>
    </form>
  );
}

/** When the record with these values was changed last, where its app says so. */
function ChangedAt({ at }: { readonly at: Value | undefined }) {
  const zone = useZone();
  const instant = at === undefined || at === null ? undefined : readInstant(toText(at), 'utc');
  return instant === undefined ? null : (
    <span className="block text-sm font-normal text-ink-2">changed {formatInstant(instant, zone)}</span>
  );
}
