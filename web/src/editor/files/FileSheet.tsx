import { emptyContent, type Place, type Start } from '@golden/core';
import { useFiles } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useLearning } from '../door/use-learning.ts';
import { useEditor } from '../draft/context.tsx';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';
import { DropFiles } from './DropFiles.tsx';
import { FilesCame } from './FilesCame.tsx';
import { RecognisedBy } from './RecognisedBy.tsx';
import { WatchedFolder } from './WatchedFolder.tsx';

interface SheetProps {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A start with files: where they come from, what recognises their records, and what has come. */
export function FileSheet({ start, source, onChange }: SheetProps) {
  const { workflow } = useEditor();
  const [inbox = ''] = source.path;
  const view = useFiles(inbox);
  useLearning(source, view.data?.files.filter(({ state }) => state === 'read').length);
  if (view.error) return <ProblemMessage>{view.error.message}</ProblemMessage>;
  if (!view.data) return <Loading what="the files" />;
  const { files, trouble } = view.data;
  return (
    <>
      <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
        <dt className="text-ink-2">Files with</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <strong className="font-medium">{source.labels.at(-1)}</strong>
          <Button look="quiet" className="ml-auto" onClick={() => onChange({ ...emptyContent('').start })}>
            Take records from an app instead
          </Button>
        </dd>
        <dt className="self-start pt-3 text-ink-2">Dropped</dt>
        <dd>
          <DropFiles inbox={inbox} isLive={workflow.isOn} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">From a folder</dt>
        <dd>
          <WatchedFolder inbox={inbox} view={view.data} start={start} onChange={onChange} />
          {trouble !== null && <p className="mt-1 text-sm text-brick">{trouble}</p>}
        </dd>
        <dt className="self-start pt-1 text-ink-2">Recognised by</dt>
        <dd>
          <RecognisedBy inbox={inbox} view={view.data} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">From when</dt>
        <dd>
          <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => onChange({ fromWhen })} />
        </dd>
      </dl>
      {files.length > 0 && <FilesCame inbox={inbox} files={files} />}
    </>
  );
}
