import { ChevronDown, ChevronRight, History, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { useAction, useVersions, type Versions } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { Button } from '../parts/Button.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { EmptyState, Loading } from '../parts/Messages.tsx';

type Version = Versions['versions'][number];
type Change = Version['changes'][number];

/** What changed between versions, in sentences; go back to one. */
export function VersionsPage() {
  const { workflow, draft, zone } = useEditor();
  const versions = useVersions(workflow.id).data;
  const navigate = useNavigate();
  const goBack = useAction(async (number: number) => {
    const { content } = await call('GET /api/workflows/:id/versions/:number', {
      params: { id: workflow.id, number: String(number) },
    });
    draft.change(() => content);
    toast(`The draft is now the same as version ${number}. Undo brings your draft back.`);
    await navigate(`/workflows/${workflow.id}`);
  });
  if (!versions) return <Loading what="the versions" />;
  if (versions.versions.length === 0) {
    return (
      <div className="px-5 py-4">
        <EmptyState title="No version yet.">
          The draft becomes version 1 when you make it live or send one record for real. A version never changes.
        </EmptyState>
      </div>
    );
  }
  const newest = versions.versions[0]?.number ?? 0;
  return (
    <div className="h-full overflow-y-auto">
      <ol className="max-w-[860px] space-y-3 px-5 py-4">
        <li className="rounded-lg border border-dashed border-line-1 bg-sheet px-4 py-3">
          <h2 className="text-lg">The draft</h2>
          {versions.draft.length === 0 ? (
            <p className="text-ink-2">No change since version {newest}.</p>
          ) : (
            <>
              <div className="mb-1 flex flex-wrap items-center gap-x-3">
                <p className="text-sm text-ink-2">
                  {counted(versions.draft.length, 'change')} since version {newest}
                </p>
                <Button
                  look="quiet"
                  className="ml-auto"
                  icon={<Undo2 size={14} strokeWidth={1.75} />}
                  disabled={goBack.isPending}
                  onClick={() => goBack.mutate(newest)}
                >
                  Discard my changes
                </Button>
              </div>
              <Changes changes={versions.draft} />
            </>
          )}
        </li>
        {versions.versions.map((version) => (
          <li key={version.number} className="rounded-lg border border-line-1 bg-sheet px-4 py-3">
            <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
              <h2 className="text-lg">Version {version.number}</h2>
              {version.isLive && (
                <span className="rounded-sm bg-pine-tint px-1.5 py-0.5 text-sm font-semibold text-pine">live</span>
              )}
              <span className="text-sm text-ink-2">
                {formatInstant(version.createdAt, zone)} · {counted(version.runs, 'run')},{' '}
                {counted(version.items, 'record')}
              </span>
              <Button
                look="quiet"
                className="ml-auto"
                icon={<History size={14} strokeWidth={1.75} />}
                disabled={goBack.isPending}
                onClick={() => goBack.mutate(version.number)}
              >
                Go back to this version
              </Button>
            </div>
            <VersionBody version={version} isFirst={version.number === versions.versions.at(-1)?.number} />
          </li>
        ))}
      </ol>
    </div>
  );
}

function VersionBody({ version, isFirst }: { readonly version: Version; readonly isFirst: boolean }) {
  const [isOpen, setOpen] = useState(isFirst);
  return (
    <>
      {!isFirst &&
        (version.changes.length > 0 ? (
          <Changes changes={version.changes} />
        ) : (
          <p className="text-ink-2">No change from the version before.</p>
        ))}
      <Button
        look="quiet"
        className="-ml-2.5"
        aria-expanded={isOpen}
        icon={isOpen ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
        onClick={() => setOpen(!isOpen)}
      >
        Its brief
      </Button>
      {isOpen && (
        <ol className="space-y-1 border-l border-line-1 pl-3 font-serif text-md">
          {version.sentences.map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ol>
      )}
    </>
  );
}

const looks: Record<Change['kind'], { readonly sign: string; readonly word: string; readonly colour: string }> = {
  added: { sign: '+', word: 'added', colour: 'text-pine' },
  removed: { sign: '−', word: 'removed', colour: 'text-brick' },
  changed: { sign: '~', word: 'changed', colour: 'text-slate' },
};

function Changes({ changes }: { readonly changes: readonly Change[] }) {
  return (
    <ul className="space-y-0.5 font-serif text-md">
      {changes.map((change) => (
        <li key={change.text} className="grid grid-cols-[76px_1fr] gap-2">
          <span className={`font-sans text-sm leading-6 ${looks[change.kind].colour}`}>
            <span aria-hidden="true" className="mr-1.5 inline-block w-2 font-mono">
              {looks[change.kind].sign}
            </span>
            {looks[change.kind].word}
          </span>
          <span>{change.text}</span>
        </li>
      ))}
    </ul>
  );
}
