import type { Place, WriteStep } from '@golden/core';
import { RefreshCw } from 'lucide-react';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { formatInstant } from '../../parts/formats.ts';
import { useEditor } from '../draft/context.tsx';
import { useEdition, useTakeEdition } from './use-edition.ts';

/** That a newer edition of a template is there: offered, not urged. */
export function EditionNote({ step, target }: { readonly step: WriteStep; readonly target: Place }) {
  const { zone } = useEditor();
  const edition = useEdition(target);
  const takeEdition = useTakeEdition(step, target);
  const take = useAction(async () => {
    if (edition) await takeEdition(edition.template, edition.newest);
  });
  if (!edition || edition.newest <= edition.number) return null;
  return (
    <div className="border-b border-line-1 px-5 py-1.5">
      <p className="flex flex-wrap items-center gap-2 text-slate">
        Documents are made by edition {edition.number} of “{edition.name}”. Edition {edition.newest} was added{' '}
        {formatInstant(edition.at, zone)}.
        <Button
          icon={<RefreshCw size={14} strokeWidth={1.75} />}
          disabled={take.isPending}
          onClick={() => take.mutate(undefined)}
        >
          Use edition {edition.newest}
        </Button>
      </p>
    </div>
  );
}
