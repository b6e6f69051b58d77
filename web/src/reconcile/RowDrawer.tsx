import { comparedWrite, type JsonRecord, readPointer, toText, type Value } from '@golden/core';
import type { Reconcile, ReconcileRow } from '../api/queries.ts';
import { Drawer } from '../parts/Drawer.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';
import { sideNames } from './sides.ts';

interface RowProps {
  readonly reconcile: Reconcile;
  readonly row: ReconcileRow;
  readonly onClose: () => void;
}

/** The records of a row side by side: what differs first, then all that each holds. */
export function RowDrawer({ reconcile, row, onClose }: RowProps) {
  const { here, there } = sideNames(reconcile);
  const { source, target } = comparedWrite(reconcile.setting);
  const sides = [
    { name: here, records: row.left, fields: source.described.fields },
    { name: there, records: row.right, fields: target.described.fields },
  ];
  return (
    <Drawer title={row.title || 'Record'} isOpen onClose={onClose} isWide>
      {row.why && <p className="mb-3 text-ink-2">What the workflow knows of it: {row.why}.</p>}
      {row.differences.length > 0 && (
        <table className="sheet mb-4 border border-line-1">
          <thead>
            <tr>
              <th scope="col">Differs in</th>
              <th scope="col">in {here}</th>
              <th scope="col">in {there}</th>
            </tr>
          </thead>
          <tbody>
            {row.differences.map((one) => (
              <tr key={one.path}>
                <th scope="row">{one.label}</th>
                <Held value={one.left as Value} />
                <Held value={one.right as Value} />
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {sides.map(({ name, records, fields }) => (
        <section key={name} aria-label={name} className="mb-4">
          <h3 className="mb-1.5 text-lg">In {name}</h3>
          {records.length === 0 && <p className="text-ink-2">It isn’t there.</p>}
          {records.map(({ id, url, record }) => (
            <table key={id} className="sheet dense mb-2 border border-line-1">
              <caption className="px-2 py-1 text-left text-ink-2">
                {url ? (
                  <OutsideLink href={url} className="underlined font-mono text-sm">
                    {id}
                  </OutsideLink>
                ) : (
                  <span className="font-mono text-sm">{id}</span>
                )}
              </caption>
              <tbody>
                {fields.map(({ path, label }) => (
                  <tr key={path}>
                    <th scope="row" className="w-[220px]">
                      {label}
                    </th>
                    <Held value={readPointer(record as JsonRecord, path) ?? null} />
                  </tr>
                ))}
              </tbody>
            </table>
          ))}
        </section>
      ))}
    </Drawer>
  );
}

function Held({ value }: { readonly value: Value }) {
  const text = toText(value);
  return text === '' ? <td className="text-ink-2 italic">empty</td> : <td className="break-words">{text}</td>;
}
