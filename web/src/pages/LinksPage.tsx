import { FileUp } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { useAction, useConnections, useLinks, useSettings } from '../api/queries.ts';
import { HowFound, LinkActions, RecordId } from '../links/LinkActions.tsx';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';

/** Who is remembered to be whom: seen, corrected, cut, and taken over from elsewhere. */
export function LinksPage() {
  const [search, setSearch] = useState('');
  const [isImporting, setImporting] = useState(false);
  const links = useLinks(search);
  const connections = useConnections().data ?? [];
  const zone = useSettings().data?.zone ?? 'utc';
  const nameOf = (id: string): string => connections.find((one) => one.id === id)?.name ?? 'a connection that is gone';
  if (links.error)
    return (
      <div className="p-6">
        <ProblemMessage>{links.error.message}</ProblemMessage>
      </div>
    );
  if (!links.data) return <Loading what="the links" />;
  const shown = links.data.links;
  return (
    <div className="px-5 py-4">
      <header className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-2xl">Links</h1>
        <span className="text-ink-2">{formatNumber(links.data.total)} remembered</span>
        <input
          type="search"
          aria-label="Search the links"
          placeholder="A name or an id"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className={`${inputLook} w-[240px]`}
        />
        <span className="ml-auto" />
        <Button icon={<FileUp size={15} strokeWidth={1.75} />} onClick={() => setImporting(true)}>
          Import links
        </Button>
      </header>
      {shown.length === 0 ? (
        <EmptyState title={search ? 'No links match.' : 'There are no links yet.'}>
          When a lookup finds the matching record in another app, the pair is remembered. The next change goes straight
          to that record, even if the name has changed.
        </EmptyState>
      ) : (
        <table className="sheet table-fixed border border-line-1">
          <thead>
            <tr>
              <th scope="col" className="w-[26%]">
                This record
              </th>
              <th scope="col" className="w-[34%]">
                is this one
              </th>
              <th scope="col">How it was found</th>
              <th scope="col" className="w-[110px]">
                Since
              </th>
              <th scope="col" className="w-[96px]">
                <span className="sr-only">Correct or remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((link) => (
              <tr key={link.id}>
                <td className="truncate">
                  <RecordId url={link.fromUrl} id={link.from.id} />
                  <span className="ml-1.5 text-sm text-ink-2">
                    {nameOf(link.from.connection)}, {link.from.place.join(' → ')}
                  </span>
                </td>
                <td className="truncate">
                  {link.title && <span className="mr-1.5 font-medium">{link.title}</span>}
                  <RecordId url={link.toUrl} id={link.to.id} />
                  <span className="ml-1.5 text-sm text-ink-2">
                    {nameOf(link.to.connection)}, {link.to.place.join(' → ')}
                  </span>
                </td>
                <td>
                  <HowFound link={link} />
                </td>
                <td className="text-ink-2">{formatInstant(link.madeAt, zone)}</td>
                <td className="p-0!">
                  <LinkActions link={link} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {links.data.total > shown.length && (
        <p className="mt-2 text-ink-2">The newest {shown.length} are shown. Search for others.</p>
      )}
      <ImportDrawer isOpen={isImporting} onClose={() => setImporting(false)} />
    </div>
  );
}

/** Pairs of ids that another system keeps already. */
function ImportDrawer({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const connections = useConnections().data ?? [];
  const [from, setFrom] = useState({ connection: '', place: '' });
  const [to, setTo] = useState({ connection: '', place: '' });
  const [text, setText] = useState('');
  const [left, setLeft] = useState<readonly string[]>([]);
  const take = useAction(async () => {
    const key = (one: typeof from) => ({
      connection: one.connection,
      path: one.place
        .split('/')
        .map((part) => part.trim())
        .filter(Boolean),
    });
    const done = await call('POST /api/links/import', { body: { from: key(from), to: key(to), text } });
    toast(`${counted(done.taken, 'link')} imported.`);
    setLeft(done.left);
    if (done.left.length === 0) onClose();
  });
  const isReady = from.connection && from.place && to.connection && to.place && text.trim();
  const side = (label: string, one: typeof from, put: (next: typeof from) => void) => (
    <fieldset className="mb-3">
      <legend className="mb-1 font-medium">{label}</legend>
      <span className="flex gap-2">
        <select
          aria-label={`${label}: app`}
          value={one.connection}
          onChange={(event) => put({ ...one, connection: event.target.value })}
          className={`${inputLook} flex-1`}
        >
          <option value="">choose an app</option>
          {connections.map((each) => (
            <option key={each.id} value={each.id}>
              {each.name}
            </option>
          ))}
        </select>
        <input
          aria-label={`${label}: place`}
          placeholder="customers"
          value={one.place}
          onChange={(event) => put({ ...one, place: event.target.value })}
          className={`${inputLook} flex-1`}
        />
      </span>
    </fieldset>
  );
  return (
    <Drawer
      title="Import links"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button look="main" disabled={!isReady || take.isPending} onClick={() => take.mutate(undefined)}>
          Import them
        </Button>
      }
    >
      <p className="mb-3 text-ink-2">
        Another system may have paired the records already. A line each, the id on the one side and the id on the other,
        with a comma or a tab between them. A place within a place is written with a slash: retail/customers.
      </p>
      {side('From', from, setFrom)}
      {side('To', to, setTo)}
      <label className="block">
        <span className="mb-1 block font-medium">The pairs</span>
        <textarea
          rows={10}
          value={text}
          onChange={(event) => setText(event.target.value)}
          placeholder={'10001,3004\n10002,3011'}
          className="w-full rounded-md border border-line-input bg-raised p-2 font-mono text-sm"
        />
      </label>
      {left.length > 0 && (
        <div className="mt-3">
          <ProblemMessage>
            <ul>
              {left.slice(0, 20).map((line) => (
                <li key={line}>{line}</li>
              ))}
            </ul>
          </ProblemMessage>
        </div>
      )}
    </Drawer>
  );
}
