import { Link } from 'react-router';
import { type RememberedLink, useConnections } from '../api/queries.ts';
import { HowFound, LinkActions, RecordId } from '../links/LinkActions.tsx';

/** Who a record is remembered to be in other apps; corrected or cut where that is wrong. */
export function RememberedPairs({ links }: { readonly links: readonly RememberedLink[] }) {
  const connections = useConnections().data ?? [];
  if (links.length === 0) return null;
  const nameOf = (id: string): string => connections.find((one) => one.id === id)?.name ?? 'a connection that is gone';
  return (
    <section aria-label="Who is whom">
      <div className="mb-1.5 flex items-baseline gap-3">
        <h3 className="text-lg">Who is whom</h3>
        <Link to="/links" className="underlined text-sm">
          All links
        </Link>
      </div>
      <ul className="divide-y divide-line-2 rounded-lg border border-line-1 bg-sheet">
        {links.map((link) => (
          <li key={link.id} className="flex items-center gap-2 py-1 pl-3">
            <span className="min-w-0 flex-1">
              {nameOf(link.from.connection)} <RecordId url={link.fromUrl} id={link.from.id} /> is{' '}
              {nameOf(link.to.connection)} <RecordId url={link.toUrl} id={link.to.id} />
              <span className="block text-sm text-ink-2">
                <HowFound link={link} />
              </span>
            </span>
            <LinkActions link={link} />
          </li>
        ))}
      </ul>
    </section>
  );
}
