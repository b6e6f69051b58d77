import { X } from 'lucide-react';
import { call } from '../api/client.ts';
import { useAction, useAttachments } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { formatInstant, formatNumber } from '../parts/formats.ts';

/** The files that can go along with mails, with a way to take them away. */
export function FilesToAttach({ zone }: { readonly zone: string }) {
  const { data = [] } = useAttachments();
  const remove = useAction((name: string) => call('POST /api/attachments/remove', { body: { name } }), 'Removed.');
  if (data.length === 0) return null;
  return (
    <section aria-labelledby="files-to-attach" className="mt-8">
      <h2 id="files-to-attach" className="mb-2 text-xl">
        Files that go along with mails
      </h2>
      <ul>
        {data.map(({ name, size, at }) => (
          <li key={name} className="flex items-center gap-3 border-b border-line-1 py-1">
            <span className="min-w-0 flex-1 truncate">{name}</span>
            <span className="text-sm text-ink-2 tabular-nums">
              {formatNumber(Math.ceil(size / 1024))} kB, {formatInstant(at, zone)}
            </span>
            <Button
              look="quiet"
              icon={<X size={14} />}
              disabled={remove.isPending}
              onClick={() => remove.mutate(name)}
              aria-label={`Remove ${name}`}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <p className="mt-2 text-sm text-ink-2">A workflow whose file is gone says so, and its mails wait for you.</p>
    </section>
  );
}
