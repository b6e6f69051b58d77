import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction, useUnsubscribed } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { inputLook, TextArea, TextField } from '../parts/Field.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useZone } from '../parts/use-zone.ts';

const page = 100;

type Row = NonNullable<ReturnType<typeof useUnsubscribed>['data']>['rows'][number];

/** How somebody said it, in words. */
const how: Record<Row['how'], string> = {
  link: 'by the link in a mail',
  one_click: 'by the button of their mail program',
  person: 'entered by hand',
  workflow: 'by a workflow',
  list: 'from a list',
};

/** Who gets no news, since when, and how they said it. */
export function UnsubscribedPage() {
  const [search, setSearch] = useState('');
  const [from, setFrom] = useState(0);
  const [isAdding, setAdding] = useState(false);
  const [back, setBack] = useState<Row>();
  const zone = useZone();
  const { data, error } = useUnsubscribed(search, from);
  if (error)
    return (
      <div className="p-6">
        <ProblemMessage>{error.message}</ProblemMessage>
      </div>
    );
  if (!data) return <Loading what="who has unsubscribed" />;
  const { rows, total, now } = data;
  return (
    <div className="px-5 py-4">
      <header className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-2xl">Unsubscribed</h1>
        <span className="text-ink-2">{counted(now, 'person gets', 'people get')} no news</span>
        <input
          type="search"
          aria-label="Search for an address"
          placeholder="Search for an address"
          value={search}
          onChange={({ target }) => {
            setSearch(target.value);
            setFrom(0);
          }}
          className={`${inputLook} w-[240px]`}
        />
        <span className="ml-auto" />
        <Button onClick={() => setAdding(true)}>Add people</Button>
      </header>
      {rows.length === 0 ? (
        <EmptyState title={search ? 'Nobody of that address is on the list.' : 'Nobody has unsubscribed.'}>
          Whoever unsubscribes by the link in a mail stands here, and so does whom you add. Add the list from the
          program that you used before, so that nobody there is written to again.
        </EmptyState>
      ) : (
        <table className="sheet table-fixed border border-line-1">
          <thead>
            <tr>
              <th scope="col" className="w-[34%]">
                Who
              </th>
              <th scope="col" className="w-[20%]">
                Since
              </th>
              <th scope="col">How they said it</th>
              <th scope="col" className="w-[150px]">
                <span className="sr-only">What to do</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id} className={row.back ? 'text-ink-3' : ''}>
                <td className="truncate">{row.contact}</td>
                <td>{formatInstant(row.at, zone)}</td>
                <td className="truncate">
                  {row.back
                    ? `gets news again since ${formatInstant(row.back.at, zone)}: ${row.back.why}`
                    : [how[row.how], row.said].filter(Boolean).join(': ')}
                </td>
                <td>
                  {!row.back && (
                    <Button look="quiet" onClick={() => setBack(row)}>
                      Wants news again
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {total > page && (
        <p className="mt-3 flex items-center gap-3">
          <Button disabled={from === 0} onClick={() => setFrom(from - page)}>
            Newer
          </Button>
          <Button disabled={from + page >= total} onClick={() => setFrom(from + page)}>
            Older
          </Button>
          <span className="text-ink-2">
            {from + 1} to {Math.min(total, from + page)} of {total}
          </span>
        </p>
      )}
      <AddDrawer isOpen={isAdding} onClose={() => setAdding(false)} />
      {back && <BackDrawer row={back} onClose={() => setBack(undefined)} />}
    </div>
  );
}

/** One address, or a whole list from another program. */
function AddDrawer({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const [text, setText] = useState('');
  const [said, setSaid] = useState('');
  const [unread, setUnread] = useState<readonly string[]>([]);
  const add = useAction(async () => {
    const isList = text.trim().includes('\n');
    const came = await call('POST /api/unsubscribed', { body: { text, said, how: isList ? 'list' : 'person' } });
    setUnread(came.unread);
    setText(came.unread.join('\n'));
    if (came.unread.length === 0) onClose();
    return came;
  });
  return (
    <Drawer title="Add people" isOpen={isOpen} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate(undefined);
        }}
      >
        <TextArea
          label="E-mail addresses or telephone numbers"
          hint="One on each line. Lines of a CSV file are fine: the first address on each counts."
          rows={10}
          value={text}
          onChange={({ target }) => setText(target.value)}
        />
        <TextField
          label="What they said"
          hint="Such as “by phone to Mira”. It stays on record."
          value={said}
          onChange={({ target }) => setSaid(target.value)}
        />
        {add.data && (
          <p className="mb-3" role="status">
            {counted(add.data.added, 'person', 'people')} added
            {add.data.already > 0 && `, ${add.data.already} were on the list already`}.
          </p>
        )}
        {unread.length > 0 && (
          <ProblemMessage>No address was found in these lines. Correct them and add them again.</ProblemMessage>
        )}
        {add.error && <ProblemMessage>{add.error.message}</ProblemMessage>}
        <Button look="main" type="submit" disabled={add.isPending || text.trim() === ''}>
          Add
        </Button>
      </form>
    </Drawer>
  );
}

/** Somebody asked for news again: when and how is kept. */
function BackDrawer({ row, onClose }: { readonly row: Row; readonly onClose: () => void }) {
  const [why, setWhy] = useState('');
  const take = useAction(async () => {
    await call('POST /api/unsubscribed/:id/back', { params: { id: row.id }, body: { why } });
    onClose();
  });
  return (
    <Drawer title={`${row.contact} wants news again`} isOpen onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          take.mutate(undefined);
        }}
      >
        <p className="mb-3">Do this only if they asked for it themselves. You may have to prove it.</p>
        <TextField label="When and how they asked for it" value={why} onChange={({ target }) => setWhy(target.value)} />
        {take.error && <ProblemMessage>{take.error.message}</ProblemMessage>}
        <Button look="main" type="submit" disabled={take.isPending || why.trim() === ''}>
          Send them news again
        </Button>
      </form>
    </Drawer>
  );
}
