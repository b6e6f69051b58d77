import { RotateCcw } from 'lucide-react';
import { call } from '../../api/client.ts';
import { type FilesView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { counted, formatInstant, formatNumber } from '../../parts/formats.ts';
import { useEditor } from '../draft/context.tsx';

type Came = FilesView['files'][number];

interface CameProps {
  readonly inbox: string;
  readonly files: readonly Came[];
}

/** The files that came, the newest first: what each brought, or why it was refused. */
export function FilesCame({ inbox, files }: CameProps) {
  const { zone } = useEditor();
  const evenSo = useAction(
    (seq: number) => call('POST /api/files/:id/even-so', { params: { id: inbox }, body: { seq } }),
    'Taken in even so.',
  );
  const again = useAction(
    (seq: number) => call('POST /api/files/:id/again', { params: { id: inbox }, body: { seq } }),
    'All of its records come once more.',
  );
  return (
    <section aria-label="Files that came" className="border-t border-line-1">
      <h3 className="px-5 pt-3 pb-1 font-medium">Files that came</h3>
      <table className="sheet">
        <thead>
          <tr>
            <th scope="col">File</th>
            <th scope="col">Came</th>
            <th scope="col">What it brought</th>
            <th scope="col">
              <span className="sr-only">What to do</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {files.map((file) => (
            <tr key={file.seq}>
              <td className="max-w-[240px] truncate">{file.name}</td>
              <td className="whitespace-nowrap text-ink-2">
                {formatInstant(file.at, zone)}, {file.came === 'dropped' ? 'dropped' : 'from the folder'}
                {file.repeats > 0 && `, + ${counted(file.repeats, 'repeat')}`}
              </td>
              <td className={`max-w-[460px] whitespace-normal ${file.state === 'refused' ? 'text-brick' : ''}`}>
                {broughtWords(file)}
              </td>
              <td className="whitespace-nowrap text-right">
                {file.emptied_at !== null && <span className="text-sm text-ink-2">The file isn’t kept any more</span>}
                {file.emptied_at === null && file.state === 'refused' && file.rows > 0 && (
                  <Button look="quiet" disabled={evenSo.isPending} onClick={() => evenSo.mutate(file.seq)}>
                    Take it in even so
                  </Button>
                )}
                {file.emptied_at === null && file.state === 'read' && (
                  <Button
                    look="quiet"
                    icon={<RotateCcw size={14} />}
                    disabled={again.isPending}
                    data-hint="All of its records come once more, also those that are as they were."
                    onClick={() => again.mutate(file.seq)}
                  >
                    Bring in once more
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function broughtWords({ state, reason, rows, plural, added, changed, same, twice, refused }: Came): string {
  if (state === 'reading') return 'being read';
  if (state === 'refused') return `Not taken in. ${reason}`;
  const parts = [
    `${formatNumber(added)} new`,
    changed > 0 && `${formatNumber(changed)} changed`,
    same > 0 && `${formatNumber(same)} as they were`,
    twice > 0 && `${formatNumber(twice)} standing in it twice`,
    refused > 0 && `${formatNumber(refused)} too large`,
  ];
  return `${formatNumber(rows)} ${plural ?? 'rows'}: ${parts.filter(Boolean).join(', ')}`;
}
