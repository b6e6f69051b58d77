import { isReady } from '@golden/core';
import { ClipboardCheck, Redo2, Stamp, Undo2 } from 'lucide-react';
import { Suspense, useMemo, useState } from 'react';
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useWorkflow, type Workflow } from '../api/queries.ts';
import { ConflictNote, NameInput, SaveNote } from '../editor/draft/DraftHead.tsx';
import type { Draft } from '../editor/draft/use-draft.ts';
import { useEditorContext } from '../editor/draft/use-editor-context.ts';
import { SendOneDrawer } from '../editor/samples/SendOneDrawer.tsx';
import { Button } from '../parts/Button.tsx';
import { type Command, useOffer } from '../parts/commands.ts';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';
import { WorkflowMenu } from '../parts/WorkflowMenu.tsx';

const tabs = [
  { to: '.', text: 'Edit', end: true },
  { to: 'rehearse', text: 'Rehearse', end: true },
  { to: 'due', text: 'Due', end: true },
  { to: 'runs', text: 'Runs', end: false },
  { to: 'not-sent', text: 'Not sent', end: true },
  { to: 'versions', text: 'Versions', end: true },
] as const;

/** One workflow: its head, its tabs, and the draft that they share. */
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
  const context = useEditorContext(workflow);
  const { draft, zone } = context;
  const [isSending, setSending] = useState(false);
  const { pathname } = useLocation();
  const waits = draft.content.steps.some(({ kind }) => kind === 'wait');
  const rehearse = useRehearse(draft, workflow.id);
  useShortcuts({
    'ctrl+z': draft.undo,
    'ctrl+y': draft.redo,
    'ctrl+shift+z': draft.redo,
    r: () => draft.content.start.source && rehearse.mutate(undefined),
  });
  useCommands(workflow.id, rehearse.mutate, setSending, waits);
  return (
    <div className="flex h-full flex-col narrow:h-auto">
      <header className="flex items-center gap-x-2.5 narrow:flex-wrap gap-y-1.5 px-5 pt-2.5">
        <div className="flex min-w-[260px] flex-1 items-baseline gap-1.5">
          <Link to="/workflows" className="inline-block min-h-6 shrink-0 text-sm leading-6 text-ink-2 hover:underline">
            {workflow.folder || 'Workflows'}
          </Link>
          <span className="text-ink-3" aria-hidden="true">
            /
          </span>
          <NameInput draft={draft} />
        </div>
        <SaveNote draft={draft} workflow={workflow} zone={zone} />
        <WorkflowMenu id={workflow.id} name={draft.content.name} folder={workflow.folder} isOn={workflow.isOn} />
        <Button
          icon={<Undo2 size={15} />}
          aria-label="Undo"
          data-hint="Undo (Ctrl Z)"
          disabled={!draft.canUndo}
          onClick={draft.undo}
        />
        <Button
          icon={<Redo2 size={15} />}
          aria-label="Redo"
          data-hint="Redo (Ctrl Y)"
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
          disabled={!draft.content.start.source || rehearse.isPending}
          onClick={() => rehearse.mutate(undefined)}
        >
          Rehearse
        </Button>
      </header>
      <ConflictNote draft={draft} />
      {draft.content.inStep && (
        <p className="px-5 pt-1 text-sm text-ink-2">
          One direction of two places that are kept in step.{' '}
          <Link to={`/in-step?id=${draft.content.inStep.pair}`} className="underlined">
            Whose value counts, and both directions
          </Link>
        </p>
      )}
      <nav aria-label="Workflow" className="flex gap-6 border-b border-line-1 px-5 pt-0.5">
        {tabs
          .filter(({ to }) => to !== 'due' || waits)
          .map((tab) => (
            <NavLink
              key={tab.to}
              to={tab.to}
              end={tab.end}
              className={({ isActive }) =>
                `-mb-px border-b-2 py-1.5 ${isActive ? 'border-pine font-semibold text-ink-1' : 'border-transparent text-ink-2 hover:text-ink-1'}`
              }
            >
              {tab.text}{' '}
              {tab.to === 'versions' && workflow.newerEdition !== null && (
                <span className="ml-0.5 whitespace-nowrap rounded-sm bg-brass-tint px-1.5 py-0.5 text-sm font-semibold text-brass">
                  newer edition
                </span>
              )}
            </NavLink>
          ))}
      </nav>
      <div className="min-h-0 flex-1 narrow:min-h-fit">
        <Suspense fallback={<Loading what="the page" />}>
          <Outlet key={pathname} context={context} />
        </Suspense>
      </div>
      <SendOneDrawer context={context} isOpen={isSending} onClose={() => setSending(false)} />
    </div>
  );
}

/** What can be done with the workflow, from the palette. */
function useCommands(
  id: string,
  rehearse: (nothing: undefined) => void,
  setSending: (isSending: boolean) => void,
  waits: boolean,
): void {
  const navigate = useNavigate();
  const commands = useMemo((): Command[] => {
    const go = (to: string, text: string): Command => ({
      id: `tab-${to}`,
      group: 'Go to',
      text,
      hint: 'this workflow',
      run: () => void navigate(`/workflows/${id}${to}`),
    });
    return [
      { id: 'rehearse', group: 'Do', text: 'Rehearse over the samples', keys: 'R', run: () => rehearse(undefined) },
      { id: 'send-one', group: 'Do', text: 'Send one for real', run: () => setSending(true) },
      go('', 'Edit'),
      go('/rehearse', 'Rehearse'),
      ...(waits ? [go('/due', 'Due')] : []),
      go('/runs', 'Runs'),
      go('/versions', 'Versions'),
    ];
  }, [id, navigate, rehearse, setSending, waits]);
  useOffer('workflow', commands);
}

/** Rehearses the draft as it is now over its samples, and shows it. */
function useRehearse(draft: Draft, id: string) {
  const navigate = useNavigate();
  return useAction(async () => {
    await draft.flush();
    await call('POST /api/workflows/:id/rehearsal', { params: { id }, body: { scope: 'samples' } });
    await navigate(`/workflows/${id}/rehearse`);
  });
}
