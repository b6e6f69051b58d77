import { pointerLabel, readPointer, type StepResult, toText, type Value } from '@golden/core';

interface SentProps {
  readonly sent: Record<string, Value>;
  readonly read: Record<string, Value> | null;
  readonly result: StepResult | undefined;
}

/** What was sent beside what was read back, and for a change what stood there before. */
export function SentAndRead({ sent, read, result }: SentProps) {
  const changes = result?.kind === 'written' && result.outcome === 'changed' ? result.changes : [];
  const shown = (value: Value | undefined) => toText(value) || <em className="text-ink-3">empty</em>;
  return (
    <table className="sheet mt-3 border border-line-1">
      <thead>
        <tr>
          <th scope="col">Field</th>
          {changes.length > 0 && <th scope="col">Before</th>}
          <th scope="col">Sent</th>
          <th scope="col">Read back</th>
        </tr>
      </thead>
      <tbody>
        {Object.entries(sent).map(([path, value]) => {
          const there = read === null ? undefined : readPointer(read, path);
          const isSame = toText(there) === toText(value);
          return (
            <tr key={path}>
              <td className="text-ink-2">{pointerLabel(path)}</td>
              {changes.length > 0 && (
                <td>
                  <del className="text-ink-2 decoration-brick">
                    {toText(changes.find((change) => change.path === path)?.before) || 'empty'}
                  </del>
                </td>
              )}
              <td>{shown(value)}</td>
              <td className={read && !isSame ? 'bg-slate-tint text-slate' : ''}>
                {read ? shown(there) : <em className="text-ink-3">not read</em>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
