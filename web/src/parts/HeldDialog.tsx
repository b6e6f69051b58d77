import { useState } from 'react';
import { call } from '../api/client.ts';
import { type Need, useAction } from '../api/queries.ts';
import { Choice } from './AccountChoice.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { counted, formatNumber } from './formats.ts';

interface HeldProps {
  readonly need: Need & { readonly held: NonNullable<Need['held']> };
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** What a check was held for: the number, the first few, and what becomes of them. */
export function HeldDialog({ need, isOpen, onClose }: HeldProps) {
  const { held } = need;
  const [answer, setAnswer] = useState<'take' | 'note'>();
  const letIn = useAction(async () => {
    await call('POST /api/workflows/:id/let-in', {
      params: { id: need.workflowId },
      body: { kind: held.kind, count: held.count, answer: answer ?? 'note' },
    });
    onClose();
  });
  const isSurge = held.kind === 'surge';
  const rest = held.count - held.examples.length;
  return (
    <ConfirmDialog
      title={isSurge ? 'Far more than usual' : 'Most of the records are gone'}
      isOpen={isOpen}
      onClose={onClose}
      onConfirm={() => answer && letIn.mutate(undefined)}
      confirm={
        answer === 'take'
          ? isSurge
            ? `Take in ${formatNumber(held.count)}`
            : `Take all ${formatNumber(held.count)} as removed`
          : answer === 'note'
            ? 'Mark as already known'
            : 'Choose first'
      }
      isBusy={letIn.isPending || answer === undefined}
    >
      <p>
        {isSurge ? (
          <>
            A check of “{need.workflow}” would take in{' '}
            <strong className="font-semibold">{counted(held.count, 'record')}</strong>. More than{' '}
            {formatNumber(held.of)} at once are held, so nothing was taken in.
          </>
        ) : (
          <>
            Of the {counted(held.of, 'record')} that “{need.workflow}” knows,{' '}
            <strong className="font-semibold">{formatNumber(held.count)}</strong> are not there any more. Nothing was
            done about it: the list may be wrong.
          </>
        )}
      </p>
      <ul className="rounded-md border border-line-2 px-3 py-2 text-sm">
        {held.examples.map((title, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: names may repeat, and the list never changes
          <li key={at} className="truncate">
            {title}
          </li>
        ))}
        {rest > 0 && <li className="text-ink-2">and {formatNumber(rest)} more</li>}
      </ul>
      <fieldset className="space-y-1.5">
        <legend className="sr-only">What becomes of them</legend>
        <Choice
          name="held"
          isOn={answer === 'take'}
          onChoose={() => setAnswer('take')}
          title={isSurge ? 'They are right: take them in' : 'They are really gone: process each removal'}
        />
        <Choice
          name="held"
          isOn={answer === 'note'}
          onChoose={() => setAnswer('note')}
          title={isSurge ? 'Mark them as already known, copy none' : 'Accept that they are gone, change nothing'}
        />
      </fieldset>
    </ConfirmDialog>
  );
}
