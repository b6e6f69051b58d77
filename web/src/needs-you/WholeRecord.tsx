import { type ItemState, type JsonRecord, type Pointer, readPointer, startId, toText } from '@golden/core';
import type { Item } from '../api/queries.ts';
import { OutsideLink } from '../parts/OutsideLink.tsx';

/** The record as the source has it, all of it, so that whoever decides knows whose it is. */
export function WholeRecord({ item, source }: { readonly item: Item; readonly source: string }) {
  const { start } = item.content;
  const record = (item.detail as ItemState).values[startId] ?? {};
  const fields = (start.source?.described.fields ?? []).flatMap(({ path, label }) => {
    const value = readPointer(record as JsonRecord, path as Pointer);
    const text = Array.isArray(value) ? `${value.length} lines` : toText(value);
    return text === '' ? [] : [{ path, label, text }];
  });
  return (
    <section aria-label="The whole record" className="min-w-0">
      <h3 className="mb-1.5 flex flex-wrap items-baseline gap-2 font-sans text-md font-semibold">
        The {start.source?.described.singular ?? 'record'} in the {source}
        {item.sourceLink && (
          <OutsideLink href={item.sourceLink} className="underlined text-sm font-medium">
            Open it there
          </OutsideLink>
        )}
      </h3>
      <dl className="rounded-md border border-line-1 bg-raised">
        {fields.map(({ path, label, text }) => (
          <div
            key={path}
            className="grid grid-cols-[minmax(96px,160px)_1fr] gap-2 border-b border-line-2 px-2.5 py-1 last:border-0"
          >
            <dt className="truncate text-ink-2">{label}</dt>
            <dd className="min-w-0 [overflow-wrap:anywhere]">{text}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
