import { aRecord, type WorkflowContent } from '@golden/core';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { call } from '../api/client.ts';
import { type NotCovered, useAction, useNotCovered } from '../api/queries.ts';
import { withStart } from '../editor/draft/edits.ts';
import { Button } from '../parts/Button.tsx';

interface NotCoveredProps {
  readonly id: string;
  readonly rev: number;
  readonly isOpen: boolean;
  readonly content: WorkflowContent;
  readonly change: (edit: (content: WorkflowContent) => WorkflowContent) => void;
  readonly flush: () => Promise<void>;
}

/** What may happen to its records later that a workflow doesn't carry on: each can be told of, or added. */
export function NotCoveredList({ id, rev, isOpen, content, change, flush }: NotCoveredProps) {
  const found = useNotCovered(id, rev, isOpen).data ?? [];
  const { source } = content.start;
  const cover = useAction(async ({ what, how }: { what: NotCovered; how: 'tell' | 'add' }) => {
    await flush();
    const { kind, path = '', label = '', value = '' } = what;
    const body = kind === 'becomes' ? { kind, path, label, value } : { kind: 'removed' as const };
    const made = await call('POST /api/workflows/:id/cover', { params: { id }, body: { what: body, how } });
    toast(
      how === 'tell'
        ? `You are told. It is a workflow of its own: “${made.name}”.`
        : `A draft was made: “${made.name}”.`,
    );
  });
  if (found.length === 0 || !source) return null;
  const { plural } = source.described;
  return (
    <section aria-label="What it does not cover" className="rounded-md border border-line-1 bg-paper px-3 py-2">
      <h3 className="mb-1 font-sans text-md font-semibold">Not covered by it</h3>
      <ul className="grid gap-1.5 text-sm">
        {found.map((one) => (
          <li key={`${one.kind} ${one.value ?? ''}`} className="flex flex-wrap items-center gap-2">
            <span className="min-w-0 flex-1">{textOf(one, plural)}</span>
            {one.by ? (
              <span className="text-ink-2">
                seen to by{' '}
                <Link to={`/workflows/${one.by.id}`} className="underlined" title={one.by.name}>
                  another workflow
                </Link>
              </span>
            ) : one.kind === 'changed' ? (
              <Button onClick={() => change(withStart({ on: 'added_or_changed' }))}>Add it</Button>
            ) : (
              <>
                <Button disabled={cover.isPending} onClick={() => cover.mutate({ what: one, how: 'tell' })}>
                  Tell me
                </Button>
                <Button disabled={cover.isPending} onClick={() => cover.mutate({ what: one, how: 'add' })}>
                  Add it
                </Button>
              </>
            )}
          </li>
        ))}
      </ul>
      {cover.error && <p className="mt-1 text-sm text-brick">{cover.error.message}</p>}
    </section>
  );
}

function textOf({ kind, label, value }: NotCovered, plural: string): string {
  const one = aRecord(plural);
  const noun = one.charAt(0).toUpperCase() + one.slice(1);
  if (kind === 'removed') return `${noun} that is removed later: what was written stays`;
  if (kind === 'changed') return `${noun} that changes later`;
  return `${noun} whose ${label} becomes “${value}” later: what was written stays`;
}
