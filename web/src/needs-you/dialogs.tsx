import { useQuery } from '@tanstack/react-query';
import { Check } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../api/client.ts';
import { type DecideItem, type MatchCase, useAction } from '../api/queries.ts';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';
import { ProblemMessage } from '../parts/Messages.tsx';

interface DismissProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onDismiss: (reason: string) => void;
}

/** Asks why a record is dismissed. */
export function DismissDialog({ isOpen, onClose, onDismiss }: DismissProps) {
  const [reason, setReason] = useState('');
  return (
    <ConfirmDialog
      title="Dismiss it"
      isOpen={isOpen}
      onClose={onClose}
      confirm="Dismiss"
      onConfirm={() => {
        if (reason.trim()) onDismiss(reason.trim());
        onClose();
      }}
    >
      <label className="block">
        <span className="mb-1 block">The record is not copied and counts as dismissed. Reason:</span>
        <input className={`${inputLook} w-full`} value={reason} onChange={(event) => setReason(event.target.value)} />
      </label>
    </ConfirmDialog>
  );
}

interface MergeProps {
  readonly item: DecideItem;
  readonly shown: MatchCase;
  readonly onClose: () => void;
  readonly onDecided: () => void;
}

/** Candidates that are one: which stays, and which become part of it. */
export function MergeDialog({ item, shown, onClose, onDecided }: MergeProps) {
  const [survivor, setSurvivor] = useState(shown.candidates[0]?.id ?? '');
  const [parts, setParts] = useState<readonly string[]>(shown.candidates.slice(0, 2).map((one) => one.id));
  const merge = useAction(async () => {
    const others = parts.filter((id) => id !== survivor);
    await call('POST /api/items/:id/merge', { params: { id: item.id }, body: { step: shown.step, survivor, others } });
    onDecided();
  }, 'Merged. The record continues with the one that stays.');
  const others = parts.filter((id) => id !== survivor);
  return (
    <ConfirmDialog
      title="They are one"
      isOpen
      onClose={onClose}
      confirm={others.length === 0 ? 'Choose at least two' : `Merge ${counted(others.length + 1, 'record')}`}
      onConfirm={() => {
        if (others.length > 0 && parts.includes(survivor)) merge.mutate(undefined);
        onClose();
      }}
    >
      <p className="mb-2">
        They become one golden record in the {shown.app}: the newest word in each field. What leads to the others leads
        to the one that stays. It can be undone under Duplicates.
      </p>
      <ul className="grid gap-1.5">
        {shown.candidates.map((one) => (
          <li key={one.id} className="flex items-center gap-3">
            <label className="flex min-w-0 flex-1 items-center gap-2">
              <input
                type="checkbox"
                checked={parts.includes(one.id)}
                onChange={() =>
                  setParts(parts.includes(one.id) ? parts.filter((id) => id !== one.id) : [...parts, one.id])
                }
                className="accent-pine"
              />
              <span className="truncate">
                {one.title} <span className="font-mono text-sm text-ink-2">{one.id}</span>
              </span>
            </label>
            <label className="flex items-center gap-1.5">
              <input
                type="radio"
                name="survivor"
                checked={survivor === one.id}
                disabled={!parts.includes(one.id)}
                onChange={() => setSurvivor(one.id)}
                className="accent-pine"
              />
              stays
            </label>
          </li>
        ))}
      </ul>
      {others.length > 0 && parts.includes(survivor) && (
        <Golden item={item} shown={shown} survivor={survivor} others={others} />
      )}
    </ConfirmDialog>
  );
}

interface GoldenProps extends Pick<MergeProps, 'item' | 'shown'> {
  readonly survivor: string;
  readonly others: readonly string[];
}

/** The record that the merge would make, field by field, before it is made. */
function Golden({ item, shown, survivor, others }: GoldenProps) {
  const golden = useQuery({
    queryKey: ['item', item.id, 'golden', survivor, ...others],
    queryFn: () =>
      call('POST /api/items/:id/golden', {
        params: { id: item.id },
        body: { step: shown.step, survivor, others: [...others] },
      }),
  });
  if (golden.error) return <ProblemMessage>{golden.error.message}</ProblemMessage>;
  return (
    <section aria-label="The golden record" className="mt-3">
      <h3 className="mb-1 font-sans text-md font-semibold">The golden record</h3>
      <dl className="max-h-[220px] overflow-y-auto rounded-md border border-line-1 bg-raised text-sm">
        {(golden.data ?? []).map(({ path, label, value, from }) => (
          <div
            key={path}
            className="grid grid-cols-[110px_1fr_auto] gap-2 border-b border-line-2 px-2.5 py-1 last:border-0"
          >
            <dt className="truncate text-ink-2">{label}</dt>
            <dd className="min-w-0 [overflow-wrap:anywhere]">{value}</dd>
            <dd className="text-ink-2">
              from <span className="font-mono">{from}</span>
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

interface RuleProps extends MergeProps {
  readonly chosen: { readonly candidate: string; readonly says: 'same' | 'new' };
  readonly onChoose: (chosen: { candidate: string; says: 'same' | 'new' }) => void;
}

/** A decision that holds from now on: the rule in words and what it settles, before it is taken. */
export function RuleDialog({ item, shown, chosen, onChoose, onClose, onDecided }: RuleProps) {
  const ask = (take: boolean) =>
    call('POST /api/items/:id/rule', { params: { id: item.id }, body: { ...chosen, take } });
  const [preview, setPreview] = useState<Awaited<ReturnType<typeof ask>>>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked anew when another is chosen
  useEffect(() => {
    let isCurrent = true;
    void ask(false).then((found) => isCurrent && setPreview(found));
    return () => {
      isCurrent = false;
    };
  }, [chosen.candidate, chosen.says]);
  const take = useAction(async () => {
    await ask(true);
    onDecided();
  }, 'The rule is saved.');
  const candidate = shown.candidates.find((one) => one.id === chosen.candidate);
  return (
    <ConfirmDialog
      title="Always decide like this"
      isOpen
      onClose={onClose}
      confirm="Save the rule"
      onConfirm={() => {
        take.mutate(undefined);
        onClose();
      }}
    >
      <fieldset className="mb-3 grid gap-1">
        <legend className="sr-only">What it is</legend>
        {shown.candidates.map((one) => (
          <label key={one.id} className="flex items-center gap-2">
            <input
              type="radio"
              name="rule"
              checked={chosen.says === 'same' && chosen.candidate === one.id}
              onChange={() => onChoose({ candidate: one.id, says: 'same' })}
              className="accent-pine"
            />
            It is {one.title}
          </label>
        ))}
        <label className="flex items-center gap-2">
          <input
            type="radio"
            name="rule"
            checked={chosen.says === 'new'}
            onChange={() => onChoose({ candidate: shown.candidates[0]?.id ?? '', says: 'new' })}
            className="accent-pine"
          />
          It is a new one
        </label>
      </fieldset>
      <p className="mb-2 rounded-md border border-line-1 bg-paper px-3 py-2 font-serif text-md italic">
        Whenever {preview?.text ?? (chosen.says === 'same' ? candidate?.ruleSame : candidate?.ruleNew) ?? '…'}.
      </p>
      {preview && (
        <>
          <p>
            {preview.settles.length === 0
              ? 'It settles no other waiting record.'
              : `It also settles ${counted(preview.settles.length, 'other record')} that wait: ${preview.settles
                  .slice(0, 6)
                  .map((one) => one.title)
                  .join(', ')}${preview.settles.length > 6 ? ' …' : ''}.`}
          </p>
          <p className="mt-1 flex items-center gap-1.5 text-sm text-ink-2">
            <Check size={14} aria-hidden="true" /> It is saved as a new version of the workflow. You can remove it
            there.
          </p>
        </>
      )}
    </ConfirmDialog>
  );
}
