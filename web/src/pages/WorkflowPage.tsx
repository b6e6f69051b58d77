import { isPlaced, isReady, localeOf, type WorkflowContent } from '@golden/core';
import { Check, ClipboardCheck, CloudAlert, Redo2, Stamp, Undo2 } from 'lucide-react';
import { Suspense, useEffect, useMemo, useState } from 'react';
import { Link, NavLink, Outlet, useNavigate, useParams } from 'react-router';
import { call } from '../api/client.ts';
import {
  type Sample,
  useConnections,
  useDo,
  useDrift,
  useLookups,
  useSamples,
  useSettings,
  useWorkflow,
  type Workflow,
} from '../api/queries.ts';
import type { EditorContext } from '../editor/draft/context.tsx';
import { type Draft, useDraft } from '../editor/draft/use-draft.ts';
import { SendOneDrawer } from '../editor/samples/SendOneDrawer.tsx';
import { type Lookups, useSampleRuns } from '../editor/samples/sample-run.ts';
import { Button } from '../parts/Button.tsx';
import { type Command, useOffer } from '../parts/commands.ts';
import { formatInstant } from '../parts/formats.ts';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';
import { WorkflowMenu } from '../parts/WorkflowMenu.tsx';

const tabs = [
  { to: '.', text: 'Write', end: true },
  { to: 'rehearse', text: 'Rehearse', end: true },
  { to: 'runs', text: 'Runs', end: false },
  { to: 'versions', text: 'Versions', end: true },
] as const;

export function WorkflowPage() {
  const { id = '' } = useParams();
  const workflow = useWorkflow(id);
  if (workflow.error) {
    return (
      <div className="p-6">
        <ProblemMessage>
          {workflow.error.message} <Link to="/workflows">Go to the workflows</Link>
        </ProblemMessage>
      </div>
    );
  }
  if (!workflow.data) return <Loading what="the workflow" />;
  return <Editor key={id} workflow={workflow.data} />;
}

/** The head and tabs of one workflow; the tabs share its draft and samples. */
function Editor({ workflow }: { readonly workflow: Workflow }) {
  const draft = useDraft(workflow);
  const connections = useConnections().data ?? [];
  const settings = useSettings().data;
  const { source, identity, also, fields } = draft.content.start;
  const sourceKey = source
    ? `${source.connection}|${source.path.join('/')}|${JSON.stringify([identity, also, fields])}`
    : '';
  // Samples belong to the source that is saved: asked for only once it is.
  const isSaved = draft.state.kind === 'saved';
  const samples = useSamples(workflow.id, sourceKey, isSaved);
  const [isSending, setSending] = useState(false);
  const version = useMemo(
    () => ({ content: draft.content, locale: localeOf(draft.content, settings ?? { zone: 'utc', country: 'GB' }) }),
    [draft.content, settings],
  );
  const drift = useDrift(workflow.id, placesKey(draft.content), isSaved);
  const shownSamples = samples.data ?? noSamples;
  const found = useLookups(workflow.id, lookupsKey(draft.content, shownSamples), isSaved);
  const lookups = (found.data ?? noLookups) as Lookups;
  const { runs, of } = useSampleRuns(version, shownSamples, lookups);
  const navigate = useNavigate();
  const rehearse = useRehearse(draft, workflow.id);
  useShortcuts({
    'ctrl+z': draft.undo,
    'ctrl+y': draft.redo,
    'ctrl+shift+z': draft.redo,
    r: () => draft.content.start.source && rehearse.mutate(undefined),
  });
  const beginRehearsal = rehearse.mutate;
  const commands = useMemo((): Command[] => {
    const base = `/workflows/${workflow.id}`;
    const go = (to: string, text: string): Command => ({
      id: `tab-${to}`,
      group: 'Go to',
      text,
      hint: 'this workflow',
      run: () => void navigate(`${base}${to}`),
    });
    return [
      {
        id: 'rehearse',
        group: 'Do',
        text: 'Rehearse over the samples',
        keys: 'R',
        run: () => beginRehearsal(undefined),
      },
      { id: 'send-one', group: 'Do', text: 'Send one for real', run: () => setSending(true) },
      go('', 'Write'),
      go('/rehearse', 'Rehearse'),
      go('/runs', 'Runs'),
      go('/versions', 'Versions'),
    ];
  }, [workflow.id, navigate, beginRehearsal]);
  useOffer('workflow', commands);
  const zone = version.locale.zone;
  const context: EditorContext = {
    workflow,
    draft,
    version,
    connections,
    samples: shownSamples,
    runs,
    drifts: drift.data ?? [],
    lookAgain: () => void drift.refetch(),
    lookups,
    isLookingUp: found.isFetching,
    // Told, but the sheet isn't worked out with it yet: no better than not told.
    isFirstLook: (found.isFetching || of !== lookups) && (of === undefined || Object.keys(of).length === 0),
    lookupProblem: found.error?.message,
    isLoadingSamples: samples.isPending,
    samplesProblem: samples.error?.message,
    sourceKey,
    zone,
  };
  return (
    <div className="flex h-full flex-col">
      <header className="flex flex-wrap items-end gap-x-3 gap-y-2 px-5 pt-3.5">
        <div className="min-w-0 flex-1">
          <p className="text-sm text-ink-2">
            <Link to="/workflows" className="inline-block min-h-6 leading-6 hover:underline">
              Workflows
            </Link>
            {workflow.folder && ` / ${workflow.folder}`}
          </p>
          <NameInput draft={draft} />
        </div>
        <SaveNote draft={draft} workflow={workflow} zone={zone} />
        <WorkflowMenu id={workflow.id} name={draft.content.name} folder={workflow.folder} isOn={workflow.isOn} />
        <Button
          icon={<Undo2 size={15} />}
          aria-label="Undo"
          title="Undo (Ctrl Z)"
          disabled={!draft.canUndo}
          onClick={draft.undo}
        />
        <Button
          icon={<Redo2 size={15} />}
          aria-label="Redo"
          title="Redo (Ctrl Y)"
          disabled={!draft.canRedo}
          onClick={draft.redo}
        />
        <Button
          icon={<Stamp size={15} strokeWidth={1.75} />}
          disabled={!isReady(draft.content)}
          onClick={() => setSending(true)}
        >
          Send one for real
        </Button>
        <Button
          look="main"
          icon={<ClipboardCheck size={15} strokeWidth={1.75} />}
          disabled={!source || rehearse.isPending}
          onClick={() => rehearse.mutate(undefined)}
        >
          Rehearse
        </Button>
      </header>
      {draft.state.kind === 'conflict' && (
        <div className="px-5 pt-2">
          <ProblemMessage
            action={
              <span className="flex gap-2">
                <Button onClick={() => draft.resolve('theirs')}>Take the other one</Button>
                <Button onClick={() => draft.resolve('mine')}>Keep this one</Button>
              </span>
            }
          >
            This workflow was changed in another window. Nothing is overwritten until you choose.
          </ProblemMessage>
        </div>
      )}
      <nav aria-label="Workflow" className="flex gap-6 border-b border-line-1 px-5 pt-2">
        {tabs.map((tab) => (
          <NavLink
            key={tab.to}
            to={tab.to}
            end={tab.end}
            className={({ isActive }) =>
              `-mb-px border-b-2 py-2 ${isActive ? 'border-pine font-semibold text-ink-1' : 'border-transparent text-ink-2 hover:text-ink-1'}`
            }
          >
            {tab.text}
          </NavLink>
        ))}
      </nav>
      <div className="min-h-0 flex-1">
        <Suspense fallback={<Loading what="the page" />}>
          <Outlet context={context} />
        </Suspense>
      </div>
      <SendOneDrawer context={context} isOpen={isSending} onClose={() => setSending(false)} />
    </div>
  );
}

function NameInput({ draft }: { readonly draft: Draft }) {
  const [name, setName] = useState(draft.content.name);
  useEffect(() => setName(draft.content.name), [draft.content.name]);
  const keep = (): void => {
    const given = name.trim();
    if (given === '') setName(draft.content.name);
    else if (given !== draft.content.name) draft.change((content) => ({ ...content, name: given }));
  };
  return (
    <h1>
      <input
        aria-label="Name of the workflow"
        value={name}
        maxLength={120}
        onChange={(event) => setName(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        className="-ml-1 w-full max-w-[640px] truncate rounded-sm border border-transparent bg-transparent px-1 font-serif text-2xl leading-tight hover:border-line-1"
      />
    </h1>
  );
}

function SaveNote({
  draft,
  workflow,
  zone,
}: {
  readonly draft: Draft;
  readonly workflow: Workflow;
  readonly zone: string;
}) {
  const { state } = draft;
  if (state.kind === 'unsaved') {
    return (
      <span role="alert" className="flex items-center gap-1.5 pb-1.5 text-sm text-brick">
        <CloudAlert size={15} aria-hidden="true" /> Not saved yet, kept on this machine. {state.message}
      </span>
    );
  }
  const live =
    workflow.liveVersion === null
      ? ''
      : workflow.isDraftChanged
        ? ` · differs from version ${workflow.liveVersion}, which is live`
        : ` · version ${workflow.liveVersion} is live`;
  const off = workflow.liveVersion !== null && !workflow.isOn ? ', switched off' : '';
  return (
    <span role="status" className="flex items-center gap-1.5 pb-1.5 text-sm text-ink-2">
      <Check size={15} aria-hidden="true" />
      {state.kind === 'saved' ? `Draft saved ${formatInstant(state.at, zone)}` : 'Saving…'}
      {live}
      {off}
    </span>
  );
}

/** Rehearses the draft as it is now over its samples, and shows it. */
function useRehearse(draft: Draft, id: string) {
  const navigate = useNavigate();
  return useDo(async () => {
    await draft.flush();
    await call('POST /api/workflows/:id/rehearsal', { params: { id }, body: { scope: 'samples' } });
    await navigate(`/workflows/${id}/rehearse`);
  });
}

const noSamples: readonly Sample[] = [];
const noLookups: Lookups = {};

/** Changes whenever what lookups find may; empty where the draft has none. */
function lookupsKey(content: WorkflowContent, samples: readonly Sample[]): string {
  const asks = content.steps.some((step) => isPlaced(step) && step.ladder && !step.isOff && step.target);
  if (!asks || samples.length === 0) return '';
  // What the fields of a place are called matters to nobody who looks things up there.
  const steps = content.steps.map((step) =>
    isPlaced(step) ? { ...step, target: step.target && [step.target.connection, step.target.path] } : step,
  );
  return JSON.stringify([steps, content.tables, samples.map((one) => one.id)]);
}

/** Changes whenever the places of a draft, or what they were described as, do. */
function placesKey(content: WorkflowContent): string {
  const places = [content.start.source, ...content.steps.filter(isPlaced).map((step) => step.target)];
  return JSON.stringify(
    places.map((place) => place && [place.connection, place.path, place.described.fields.map((field) => field.path)]),
  );
}
