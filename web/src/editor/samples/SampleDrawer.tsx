import { type JsonRecord, recordTitle } from '@golden/core';
import { Ear, ExternalLink, ListPlus, Search, Square, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import { type FoundRecord, readAnew, useAction, usePlace } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { formatNumber } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { OutsideLink } from '../../parts/OutsideLink.tsx';
import { useSessionState } from '../../parts/session-state.ts';
import { useEditor } from '../draft/context.tsx';
import { originWords } from './on-sheet.ts';
import { readList, readPasted } from './own-samples.ts';

interface DrawerProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** The samples: which stand on the sheet, others from the source, new ones, made-up ones. */
export function SampleDrawer({ isOpen, onClose }: DrawerProps) {
  return (
    <Drawer title="Samples" isOpen={isOpen} onClose={onClose} isWide>
      {isOpen && (
        <>
          <MoreSamples />
          <Kept />
        </>
      )}
    </Drawer>
  );
}

/** The ways to come by more samples. */
export function MoreSamples() {
  const [way, setWay] = useState<'' | 'search' | 'listen' | 'paste' | 'list'>('');
  const { draft } = useEditor();
  const source = draft.content.start.source;
  const newAt = usePlace(source?.connection ?? '', source?.path ?? []).data?.newAt;
  const ways = [
    { way: 'search', text: 'Find others', icon: <Search size={14} strokeWidth={1.75} /> },
    { way: 'listen', text: 'Listen for a new one', icon: <Ear size={14} strokeWidth={1.75} /> },
    { way: 'paste', text: 'Paste JSON', icon: <ListPlus size={14} strokeWidth={1.75} /> },
    { way: 'list', text: 'From a list (CSV)', icon: <ListPlus size={14} strokeWidth={1.75} /> },
  ] as const;
  if (!source) return null;
  return (
    <section aria-label="More samples" className="mb-4">
      <div className="flex flex-wrap gap-1.5">
        {ways.map((one) => (
          <Button
            key={one.way}
            icon={one.icon}
            aria-expanded={way === one.way}
            className={way === one.way ? 'border-pine bg-pine-tint!' : ''}
            onClick={() => setWay(way === one.way ? '' : one.way)}
          >
            {one.text}
          </Button>
        ))}
        {newAt && (
          <OutsideLink href={newAt} className="inline-flex h-[30px] items-center gap-1.5 px-2 font-medium text-pine">
            <ExternalLink size={14} strokeWidth={1.75} aria-hidden="true" /> Make one there
          </OutsideLink>
        )}
      </div>
      {way === 'search' && <Finder />}
      {way === 'listen' && <Listener onHeard={() => setWay('')} />}
      {way === 'paste' && <Paste onAdded={() => setWay('')} />}
      {way === 'list' && <FromList onAdded={() => setWay('')} />}
    </section>
  );
}

function Finder() {
  const { workflow } = useEditor();
  const [text, setText] = useState('');
  const [found, setFound] = useState<FoundRecord[]>();
  const [ids, setIds] = useState<readonly string[]>([]);
  const search = useAction(async (wanted: string) =>
    setFound(
      await call('GET /api/workflows/:id/samples/search', { params: { id: workflow.id }, query: { text: wanted } }),
    ),
  );
  const add = useAction(async () => {
    await call('POST /api/workflows/:id/samples', {
      params: { id: workflow.id },
      body: { kind: 'chosen', ids: [...ids] },
    });
    setFound(undefined);
    setIds([]);
  }, 'They are on the sheet now.');
  return (
    <div className="mt-2 rounded-md border border-line-1 p-3">
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (text.trim()) search.mutate(text);
        }}
      >
        <input
          aria-label="Text in any field"
          placeholder="A name, an address, a number: text in any field"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className={`${inputLook} flex-1`}
        />
        <Button type="submit" disabled={search.isPending}>
          {search.isPending ? 'Looking…' : 'Find'}
        </Button>
      </form>
      {found?.length === 0 && <p className="mt-2 text-ink-2">No records match.</p>}
      {found && found.length > 0 && (
        <>
          <ul className="mt-2 max-h-[220px] overflow-y-auto">
            {found.map((one) => (
              <li key={one.id}>
                <label className="flex items-baseline gap-2 py-0.5">
                  <input
                    type="checkbox"
                    checked={ids.includes(one.id)}
                    onChange={(event) =>
                      setIds(event.target.checked ? [...ids, one.id] : ids.filter((id) => id !== one.id))
                    }
                    className="accent-pine"
                  />
                  {one.title}
                  <span className="ml-auto font-mono text-sm text-ink-2">{one.id}</span>
                </label>
              </li>
            ))}
          </ul>
          <Button className="mt-2" disabled={ids.length === 0 || add.isPending} onClick={() => add.mutate(undefined)}>
            Put {ids.length > 0 ? formatNumber(ids.length) : 'them'} on the sheet
          </Button>
        </>
      )}
    </div>
  );
}

const askEvery = 2000;

/** Waits for a record that comes up in the source, and takes it by itself. */
function Listener({ onHeard }: { readonly onHeard: () => void }) {
  const { workflow } = useEditor();
  const [seconds, setSeconds] = useState(0);
  const [problem, setProblem] = useState('');
  const [heard, setHeard] = useState<readonly string[]>();
  useEffect(() => {
    let isOver = false;
    const begun = Date.now();
    const clock = setInterval(() => setSeconds(Math.floor((Date.now() - begun) / 1000)), 250);
    const params = { id: workflow.id };
    const listen = async (): Promise<void> => {
      await call('POST /api/workflows/:id/samples/listen', { params });
      while (!isOver) {
        await new Promise((resolve) => setTimeout(resolve, askEvery));
        if (isOver) return;
        const news = await call('GET /api/workflows/:id/samples/heard', { params });
        if (news.length === 0) continue;
        setHeard(news.map((one) => one.title));
        readAnew('samples');
        return;
      }
    };
    void listen().catch((error: Error) => setProblem(error.message));
    return () => {
      isOver = true;
      clearInterval(clock);
    };
  }, [workflow.id]);
  if (problem) return <ProblemMessage>{problem}</ProblemMessage>;
  return (
    <div role="status" className="mt-2 flex flex-wrap items-center gap-3 rounded-md bg-pine-faint px-3 py-2">
      {heard ? (
        <span className="text-pine">Found: {heard.join(', ')}. It is on the sheet.</span>
      ) : (
        <span>Listening for {formatNumber(seconds)} s. Add or change a record in the app; it appears here.</span>
      )}
      <Button look="quiet" icon={<Square size={12} />} onClick={onHeard}>
        {heard ? 'Close' : 'Stop'}
      </Button>
    </div>
  );
}

function useAddOwn(origin: 'made_up' | 'list', onAdded: () => void) {
  const { workflow } = useEditor();
  return useAction(async (records: readonly JsonRecord[]) => {
    await call('POST /api/workflows/:id/samples', {
      params: { id: workflow.id },
      body: { kind: 'own', origin, records: records.map((one) => ({ ...one })) },
    });
    onAdded();
  }, 'They are on the sheet now.');
}

function Paste({ onAdded }: { readonly onAdded: () => void }) {
  const { workflow } = useEditor();
  const [text, setText] = useSessionState(`pasted-${workflow.id}`, '');
  const [problem, setProblem] = useState('');
  const add = useAddOwn('made_up', () => {
    setText('');
    onAdded();
  });
  return (
    <div className="mt-2 rounded-md border border-line-1 p-3">
      <label htmlFor="pasted" className="mb-1 block font-medium">
        A record, or a list of records, as JSON
      </label>
      <textarea
        id="pasted"
        rows={7}
        value={text}
        spellCheck={false}
        onChange={(event) => setText(event.target.value)}
        placeholder='{"first_name": "Tamsin", "email": "tamsin@studio.example"}'
        className={`${inputLook} h-auto w-full py-1.5 font-mono text-sm`}
      />
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      <Button
        className="mt-2"
        disabled={text.trim() === '' || add.isPending}
        onClick={() => {
          const read = readPasted(text);
          setProblem(read.ok ? '' : read.message);
          if (read.ok) add.mutate(read.records);
        }}
      >
        Use as made-up samples
      </Button>
    </div>
  );
}

function FromList({ onAdded }: { readonly onAdded: () => void }) {
  const { draft } = useEditor();
  const [problem, setProblem] = useState('');
  const [said, setSaid] = useState('');
  const [records, setRecords] = useState<readonly JsonRecord[]>([]);
  const add = useAddOwn('list', onAdded);
  const fields = draft.content.start.source?.described.fields ?? [];
  return (
    <div className="mt-2 rounded-md border border-line-1 p-3">
      <label className="block">
        <span className="mb-1 block font-medium">Past records as a CSV file; its first row names the columns</span>
        <input
          type="file"
          accept=".csv,text/csv"
          onChange={async (event) => {
            const file = event.target.files?.[0];
            if (!file) return;
            const read = readList(new Uint8Array(await file.arrayBuffer()), fields);
            setProblem(read.ok ? '' : read.message);
            setRecords(read.ok ? read.records : []);
            setSaid(read.ok ? (read.note ?? '') : '');
          }}
        />
      </label>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {said && <p className="mt-1 text-ink-2">{said}</p>}
      <Button
        className="mt-2"
        disabled={records.length === 0 || add.isPending}
        onClick={() => add.mutate(records.slice(0, 200))}
      >
        Use {records.length > 0 ? formatNumber(Math.min(200, records.length)) : ''} as samples
      </Button>
    </div>
  );
}

/** All samples kept, each on the sheet, off it, or left to how awkward it is. */
function Kept() {
  const { samples, workflow } = useEditor();
  const put = useAction(({ id, isOnSheet }: { id: string; isOnSheet: boolean | null }) =>
    call('PUT /api/workflows/:id/samples/:sample', {
      params: { id: workflow.id, sample: id },
      body: { isOnSheet },
    }),
  );
  const remove = useAction((id: string) =>
    call('DELETE /api/workflows/:id/samples/:sample', { params: { id: workflow.id, sample: id } }),
  );
  const chosen = samples.filter((one) => one.isOnSheet === true).length;
  return (
    <section aria-label="Samples kept">
      <p className="mb-2 flex flex-wrap items-center gap-2 text-ink-2">
        {formatNumber(samples.length)} are kept.{' '}
        {chosen > 0
          ? `${formatNumber(chosen)} chosen for the sheet; the most awkward of the others make it six.`
          : 'The six most awkward ones are on the sheet. Tick others to choose them yourself.'}
      </p>
      <ul className="divide-y divide-line-2 rounded-md border border-line-1">
        {samples.map((sample) => (
          <li key={sample.id} className="flex items-center gap-2 px-3 py-1">
            <label className="flex min-w-0 flex-1 items-baseline gap-2">
              <input
                type="checkbox"
                checked={sample.isOnSheet === true}
                onChange={(event) => put.mutate({ id: sample.id, isOnSheet: event.target.checked ? true : null })}
                className="accent-pine"
              />
              <span className="truncate">{recordTitle(sample.record as JsonRecord)}</span>
              {sample.origin !== 'real' && <span className="text-sm text-plum">{originWords[sample.origin]}</span>}
            </label>
            <span className="truncate font-mono text-sm text-ink-2">{sample.id}</span>
            <button
              type="button"
              aria-label={`Remove the sample ${recordTitle(sample.record as JsonRecord)}`}
              onClick={() => remove.mutate(sample.id)}
              className="rounded-sm p-1.5 text-ink-2 hover:bg-pine-tint"
            >
              <X size={13} />
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
