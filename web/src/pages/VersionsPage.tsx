import { ChevronDown, ChevronRight, History, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { useAction, useVersions, type Versions } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { NewerEdition } from '../editor/draft/NewerEdition.tsx';
import { Button } from '../parts/Button.tsx';
import { Changes } from '../parts/Changes.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { EmptyState, Loading } from '../parts/Messages.tsx';

type Version = Versions['versions'][number];

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
  const newer = <NewerEdition />;
  if (!versions) return <Loading what="the versions" />;
  if (versions.versions.length === 0) {
    return (
      <div className="h-full space-y-3 overflow-y-auto px-5 py-4">
        {newer}
        <EmptyState title="No version yet.">
          The draft becomes version 1 when you make it live or send one record for real. A version never changes.
        </EmptyState>
      </div>
    );
  }
  const newest = versions.versions[0]?.number ?? 0;
  return (
    <div className="h-full overflow-y-auto">
      <div className="max-w-[860px] px-5 pt-4 empty:hidden">{newer}</div>
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
