import type { DecideItem, MatchCase } from '../api/queries.ts';
import { percentText } from '../parts/formats.ts';
import { OutsideLink } from '../parts/OutsideLink.tsx';

/** A weight of so many bits fills the whole bar. */
const fullBits = 12;

/** What is known beside each candidate, field by field, with what speaks for and against. */
export function SideBySide({ item, shown }: { readonly item: DecideItem; readonly shown: MatchCase }) {
  const { candidates, fields } = shown;
  return (
    <table className="sheet min-w-[640px] table-fixed">
      <thead>
        <tr>
          <th scope="col" className="w-[130px]">
            <span className="sr-only">Field</span>
          </th>
          <th scope="col" className="align-top">
            <span className="block truncate font-normal">from the {item.source}</span>
            <span className="block truncate font-serif text-lg font-medium text-ink-1">{item.title}</span>
          </th>
          {candidates.map((one, at) => (
            <th key={one.id} scope="col" className="align-top">
              <span className="block truncate font-normal">
                {at + 1} · in the {shown.app}
              </span>
              <span className="block truncate font-serif text-lg font-medium text-ink-1">
                {one.link ? (
                  <OutsideLink href={one.link} className="hover:underline">
                    {one.title}
                  </OutsideLink>
                ) : (
                  one.title
                )}
              </span>
              {one.probability !== null && (
                <span className="flex items-center gap-2 font-normal">
                  <span className="relative h-1.5 flex-1 rounded-sm bg-line-2" aria-hidden="true">
                    <span
                      className="absolute inset-y-0 left-0 rounded-sm bg-brass-fill"
                      style={{ width: `${one.probability * 100}%` }}
                    />
                    <span className="absolute -top-1 h-3.5 w-px bg-ink-2" style={{ left: `${shown.sure * 100}%` }} />
                  </span>
                  {percentText(one.probability)}
                </span>
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {fields.map((field) => (
          <tr key={field.path}>
            <th scope="row" className="break-words whitespace-normal! font-normal! bg-sheet!">
              {field.label}
            </th>
            <td className="break-words">{field.known || <em className="text-ink-3">empty</em>}</td>
            {field.values.map((value, at) => (
              <td key={candidates[at]?.id}>
                <span className="flex flex-wrap items-center gap-x-2">
                  <span className="min-w-0 grow basis-24 break-words">
                    {value.text || <em className="text-ink-3">empty</em>}
                  </span>
                  {value.said && value.bearing && value.bearing !== 'empty' && field.known !== '' && (
                    <span
                      className={`flex max-w-full min-w-0 items-center gap-1.5 text-sm ${value.bits >= 0 ? 'text-pine' : 'text-brick'}`}
                    >
                      <span className="min-w-0 break-words">{value.said}</span>
                      <span
                        aria-hidden="true"
                        className={`h-1.5 shrink-0 rounded-sm ${value.bits >= 0 ? 'bg-pine' : 'bg-brick'} opacity-60`}
                        style={{
                          width: `${Math.max(4, (Math.min(Math.abs(value.bits), fullBits) / fullBits) * 40)}px`,
                        }}
                      />
                    </span>
                  )}
                </span>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
