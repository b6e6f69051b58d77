import { useQuery } from '@tanstack/react-query';
import { CornerLeftUp, Folder } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { counted } from '../../parts/formats.ts';

/** The folders of this machine to choose from, so that no path has to be typed. */
export function FolderList({ onChoose }: { readonly onChoose: (path: string) => void }) {
  const [at, setAt] = useState<string>();
  const found = useQuery({
    queryKey: ['folders', at ?? ''],
    queryFn: () => call('GET /api/folders', { query: { ...(at !== undefined && { at }) } }),
    placeholderData: (before) => before,
  });
  const view = found.data;
  const go = (path: string): void => {
    setAt(path);
    onChoose(path);
  };
  if (found.error) return <p className="mb-3 text-sm text-brick">{found.error.message}</p>;
  if (!view) return null;
  return (
    <section aria-label="Folders on this machine" className="mb-3 rounded-md border border-line-1 bg-raised">
      <p className="flex flex-wrap items-center gap-2 border-b border-line-2 px-2.5 py-1.5 text-sm">
        <span className="min-w-0 flex-1 truncate font-mono" title={view.at}>
          {view.at}
        </span>
        <span className="text-ink-2">{counted(view.workbooks, 'workbook')}</span>
        <Button look="quiet" onClick={() => onChoose(view.at)}>
          Use this one
        </Button>
        {view.above !== null && (
          <Button look="quiet" icon={<CornerLeftUp size={14} />} onClick={() => go(view.above ?? '')}>
            Up
          </Button>
        )}
      </p>
      <ul aria-label={`Folders in ${view.at}`} className="max-h-[190px] overflow-y-auto py-1">
        {view.folders.map(({ name, path }) => (
          <li key={path}>
            <button
              type="button"
              onClick={() => go(path)}
              className="flex w-full items-center gap-2 px-2.5 py-1 text-left hover:bg-pine-faint"
            >
              <Folder size={14} strokeWidth={1.75} aria-hidden="true" className="shrink-0 text-ink-2" />
              <span className="truncate">{name}</span>
            </button>
          </li>
        ))}
        {view.folders.length === 0 && <li className="px-2.5 py-1 text-sm text-ink-2">There are no folders in it.</li>}
      </ul>
    </section>
  );
}
