import { copyKinds } from '@golden/core';
import { ArrowRight, FileInput } from 'lucide-react';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useConnections, usePlace, useReady } from '../api/queries.ts';
import { NewAnotherStartButton } from '../editor/beginning/AnotherStart.tsx';
import { ImportDrawer } from '../editor/draft/ImportDrawer.tsx';
import { type ChosenKind, CopyKindChoice } from '../editor/place/CopyKindChoice.tsx';
import type { ChosenPlace } from '../editor/place/chosen-place.ts';
import { PlacePicker } from '../editor/place/PlacePicker.tsx';
import { Button } from '../parts/Button.tsx';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useSessionState } from '../parts/session-state.ts';

/** From nothing to a draft in three choices. */
export function NewWorkflowPage() {
  const navigate = useNavigate();
  const known = useConnections();
  // Kept over a look elsewhere, until the draft is written.
  const [from, setFrom] = useSessionState<ChosenPlace | undefined>('copy-from', undefined);
  const [to, setTo] = useSessionState<ChosenPlace | undefined>('copy-to', undefined);
  const [kind, setKind] = useSessionState<ChosenKind>('copy-kind', 'in_step');
  const [file, setFile] = useState<string>();
  const source = usePlace(from?.connection ?? '', from?.path ?? []).data?.described;
  const isSame = from && to && from.connection === to.connection && from.path.join('\n') === to.path.join('\n');
  const write = useAction(async () => {
    if (!from || !to) return;
    const page = await draft(from, to, kind);
    setFrom(undefined);
    setTo(undefined);
    await navigate(page);
  });
  const empty = useAction(async () => {
    const made = await call('POST /api/workflows', { body: { name: 'New workflow' } });
    await navigate(`/workflows/${made.id}`);
  });
  // Until it is known what is connected, a click would connect an app that is there already.
  if (known.isPending) return <Loading what="what is connected" />;
  const connections = known.data ?? [];
  return (
    <div className="max-w-[1120px] px-6 py-4">
      <p className="text-sm text-ink-2">
        <Link to="/workflows" className="inline-block min-h-6 leading-6 hover:underline">
          Workflows
        </Link>
      </p>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-2">
        <h1 className="text-2xl">What is copied where?</h1>
        <span className="flex gap-2">
          <Button look="quiet" icon={<FileInput size={15} strokeWidth={1.75} />} onClick={() => setFile('')}>
            Import a file
          </Button>
          <Button look="quiet" disabled={empty.isPending} onClick={() => empty.mutate(undefined)}>
            Start with an empty draft
          </Button>
        </span>
      </div>
      <div className="grid gap-x-8 gap-y-6 lg:grid-cols-2">
        <section aria-label="From" className="min-w-0">
          <div className="mb-2 flex items-center justify-between gap-2">
            <h2 className="text-lg">1. From</h2>
            <NewAnotherStartButton />
          </div>
          <PlacePicker purpose="from" connections={connections} chosen={from} columns={[]} onChoose={setFrom} />
        </section>
        <section aria-label="To" className="min-w-0">
          <h2 className="mb-2 text-lg">2. To</h2>
          <PlacePicker
            purpose="to"
            connections={connections}
            chosen={to}
            columns={(source?.fields ?? []).map((field) => field.label)}
            source={source}
            onChoose={setTo}
          />
        </section>
      </div>
      <section aria-label="Kind of copy" className="mt-6">
        <h2 className="mb-2 text-lg">3. What kind of copy</h2>
        <CopyKindChoice kind={kind} kinds={[...copyKinds, 'both_ways']} onChoose={setKind} to={to} />
      </section>
      <div className="mt-5 flex items-center gap-3">
        <Button
          look="main"
          icon={<ArrowRight size={15} />}
          disabled={!from || !to || isSame || write.isPending}
          onClick={() => write.mutate(undefined)}
        >
          {write.isPending ? 'Looking at both sides…' : 'Make the draft'}
        </Button>
        <span className="text-ink-2">
          The name, how records are matched, and the mapping are suggested, each with its reason. Nothing is written to
          any app.
        </span>
      </div>
      {isSame && (
        <div className="mt-3">
          <ProblemMessage>From and to are the same place. Choose another for one of them.</ProblemMessage>
        </div>
      )}
      <Ready onChoose={setFile} />
      <ImportDrawer text={file} onClose={() => setFile(undefined)} />
    </div>
  );
}

/** Drafts a copy, or both directions of two places in step; gives the page to go on with. */
async function draft(from: ChosenPlace, to: ChosenPlace, kind: ChosenKind): Promise<string> {
  if (kind === 'both_ways')
    return `/in-step?id=${(await call('POST /api/in-step', { body: { kind: 'places', from, to } })).id}`;
  const made = await call('POST /api/workflows/from-choices', { body: { from, to, kind } });
  return `/workflows/${made.id}?sentence=write-1`;
}

/** Workflows that are ready but for their connections. */
function Ready({ onChoose }: { readonly onChoose: (text: string) => void }) {
  const ready = useReady().data ?? [];
  const take = useAction(async (id: string) => onChoose((await call('GET /api/ready/:id', { params: { id } })).text));
  if (ready.length === 0) return null;
  return (
    <section aria-label="Ready-made" className="mt-8">
      <h2 className="mb-2 text-lg">Or start from a ready-made one</h2>
      <ul className="overflow-hidden rounded-md border border-line-1 bg-sheet">
        {ready.map((one) => (
          <li key={one.id} className="border-b border-line-2 last:border-b-0">
            <button
              type="button"
              onClick={() => take.mutate(one.id)}
              className="flex w-full items-baseline gap-3 px-3 py-2 text-left hover:bg-pine-faint"
            >
              <span className="shrink-0 font-serif text-lg leading-tight">{one.name}</span>
              <span className="truncate text-sm text-ink-2">{one.note}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
