import { Send, Undo2 } from 'lucide-react';
import { useDeferredValue, useState } from 'react';
import { useSearchParams } from 'react-router';
import { type TracedRecord, useRecords, useSettings, useTrail } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { ItemDrawer } from '../parts/ItemDrawer.tsx';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OutcomeMark, stateLooks } from '../parts/OutcomeMark.tsx';
import { AsItIsNow } from '../records/AsItIsNow.tsx';
import { RememberedPairs } from '../records/RememberedPairs.tsx';
import { SendAgain } from '../records/SendAgain.tsx';
import { TrailList } from '../records/TrailList.tsx';

/** Where the record that is looked at stands in the address: it can be gone back to, and sent to a colleague. */
const keyIn = (search: URLSearchParams): TracedRecord['key'] | undefined => {
  const [account, place, id] = ['account', 'place', 'id'].map((name) => search.get(name));
  return account && place && id ? { account, place, id } : undefined;
};

/** Type an e-mail address, an order number, a part of a telephone number: the record, and its trail. */
export function RecordsPage() {
  const [search, setSearch] = useSearchParams();
  const [text, setText] = useState(search.get('text') ?? '');
  const asked = useDeferredValue(text);
  const found = useRecords(asked);
  const key = keyIn(search);
  const records = asked.trim().length > 1 ? (found.data?.records ?? []) : [];
  return (
    <div className="px-5 py-4">
      <header className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="sr-only">Records</h1>
        <input
          type="search"
          aria-label="Find a record"
          placeholder="A name, an e-mail, an order number, a part of a telephone number"
          value={text}
          // biome-ignore lint/a11y/noAutofocus: the page is for searching, and nothing stands before the field
          autoFocus={key === undefined}
          onChange={(event) => {
            setText(event.target.value);
            setSearch({ text: event.target.value }, { replace: true });
          }}
          className={`${inputLook} w-[min(460px,90vw)]`}
        />
        {asked.trim().length > 1 && found.data && (
          <span role="status" className="text-ink-2">
            {counted(records.length, 'record holds it', 'records hold it')}
            {found.data.isMore && ', and more'}
            {!found.data.isComplete && ' · the newest are still being read'}
          </span>
        )}
      </header>
      {found.error && <ProblemMessage>{found.error.message}</ProblemMessage>}
      {key ? (
        <Record
          key={`${key.account} ${key.place} ${key.id}`}
          record={key}
          title={records.find((one) => one.key.id === key.id && one.key.place === key.place)?.title}
        />
      ) : asked.trim().length < 2 ? (
        <EmptyState title="Did it go through?">
          Type what you know of a record. You see where it stands in each app, and everything that happened to it: taken
          in or left out, matched, written, asked about, mailed.
        </EmptyState>
      ) : (
        <FoundList
          records={records}
          isKnown={found.data !== undefined}
          onChoose={(one) => setSearch({ text, ...one.key })}
        />
      )}
    </div>
  );
}

interface FoundProps {
  readonly records: readonly TracedRecord[];
  readonly isKnown: boolean;
  readonly onChoose: (record: TracedRecord) => void;
}

function FoundList({ records, isKnown, onChoose }: FoundProps) {
  const zone = useSettings().data?.zone ?? 'utc';
  if (!isKnown) return <Loading what="what holds it" />;
  if (records.length === 0)
    return (
      <EmptyState title="No record holds it.">
        Only what a workflow has taken in is searched, and the ids of what was known before. Is it in one of the apps? A
        comparison of two places finds what never came in.
      </EmptyState>
    );
  return (
    <table className="sheet table-fixed border border-line-1">
      <thead>
        <tr>
          <th scope="col" className="w-[34%]">
            Record
          </th>
          <th scope="col">From</th>
          <th scope="col" className="w-[30%]">
            How it stands
          </th>
          <th scope="col" className="w-[120px]">
            Last
          </th>
        </tr>
      </thead>
      <tbody>
        {records.map((one) => (
          <tr key={`${one.key.account} ${one.key.place} ${one.key.id}`}>
            <td className="truncate">
              <button
                type="button"
                className="underlined max-w-full truncate font-medium"
                onClick={() => onChoose(one)}
              >
                {one.title || one.key.id}
              </button>
            </td>
            <td className="truncate">
              {one.app}, {one.singular} <span className="font-mono text-sm text-ink-2">{one.key.id}</span>
            </td>
            <td className="truncate">
              {one.state === null ? (
                <span className="text-stone">already known, not sent</span>
              ) : (
                <>
                  <OutcomeMark look={stateLooks[one.state as keyof typeof stateLooks]} />
                  {one.message && <span className="ml-2 text-ink-2">{one.message}</span>}
                </>
              )}
            </td>
            <td className="text-ink-2">{one.at && formatInstant(one.at, zone)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface RecordProps {
  readonly record: TracedRecord['key'];
  readonly title: string | undefined;
}

/** One record: as it is now in each app, and its trail. */
function Record({ record, title }: RecordProps) {
  const trail = useTrail(record);
  const zone = useSettings().data?.zone ?? 'utc';
  const [itemId, setItemId] = useState('');
  const [isSending, setSending] = useState(false);
  if (trail.error) return <ProblemMessage>{trail.error.message}</ProblemMessage>;
  if (!trail.data) return <Loading what="its trail" />;
  const { entries, links, takers } = trail.data;
  const last = entries.findLast(({ itemId: own }) => own !== null)?.itemId ?? null;
  return (
    <>
      <div className="mb-3 flex flex-wrap items-center gap-2">
        <h2 className="text-2xl">{title || record.id}</h2>
        <span className="ml-auto" />
        <Button
          icon={<Send size={15} strokeWidth={1.75} />}
          disabled={!takers.some(({ isOn }) => isOn)}
          onClick={() => setSending(true)}
        >
          Send again…
        </Button>
        <Button
          icon={<Undo2 size={15} strokeWidth={1.75} />}
          disabled={last === null}
          onClick={() => setItemId(last ?? '')}
        >
          Take back…
        </Button>
      </div>
      <div className="grid gap-6 xl:grid-cols-[minmax(0,1.05fr)_minmax(0,1fr)]">
        <AsItIsNow record={record} />
        <div className="min-w-0 space-y-5">
          <section aria-label="What happened">
            {entries.length === 0 ? (
              <p className="text-ink-2">No workflow has had anything to do with it.</p>
            ) : (
              <TrailList entries={entries} zone={zone} onOpen={setItemId} />
            )}
          </section>
          <RememberedPairs links={links} />
        </div>
      </div>
      {isSending && <SendAgain takers={takers} onClose={() => setSending(false)} />}
      <ItemDrawer itemId={itemId} zone={zone} onClose={() => setItemId('')} />
    </>
  );
}
