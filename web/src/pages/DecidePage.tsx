import { Check, Hand, Merge, Plug, TriangleAlert, UserPlus } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import { type DecideItem, type MatchCase, useCase, useDecide, useDo, useItem, useSettings } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { inputLook } from '../parts/Field.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { SettleForm } from '../parts/SettleForm.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';

/** The desk: what waits for a decision, grouped by cause, one after the other. */
export function DecidePage() {
  const desk = useDecide();
  const zone = useSettings().data?.zone ?? 'utc';
  const [search, setSearch] = useSearchParams();
  const items = useMemo(() => grouped(desk.data ?? []), [desk.data]);
  const [decided, setDecided] = useState(0);
  const asked = search.get('item');
  const last = useRef(0);
  const at = Math.max(
    0,
    items.findIndex((one) => one.id === asked),
  );
  // The one that was decided is gone: the next one stands in its place.
  const place = items.some((one) => one.id === asked) ? at : Math.min(last.current, items.length - 1);
  const chosen = items[Math.max(0, place)];
  useEffect(() => {
    last.current = Math.max(0, place);
  }, [place]);
  const choose = (by: number): void => {
    const next = items[Math.min(items.length - 1, Math.max(0, place + by))];
    if (next) setSearch({ item: next.id }, { replace: true });
    if (next)
      requestAnimationFrame(() =>
        document.querySelector(`[data-case="${CSS.escape(next.id)}"]`)?.scrollIntoView({ block: 'nearest' }),
      );
  };
  useShortcuts({ j: () => choose(1), k: () => choose(-1), arrowdown: () => choose(1), arrowup: () => choose(-1) });
  if (desk.error)
    return (
      <div className="p-6">
        <ProblemMessage>{desk.error.message}</ProblemMessage>
      </div>
    );
  if (!desk.data) return <Loading what="what waits" />;
  return (
    <div className="grid h-full min-h-0 grid-cols-[clamp(220px,24vw,300px)_1fr] max-md:grid-cols-1 max-md:grid-rows-[auto_1fr] max-md:overflow-y-auto">
      <section
        aria-label="What waits"
        className="min-h-0 overflow-y-auto border-r border-line-1 px-2.5 py-4 max-md:max-h-[38vh] max-md:border-r-0 max-md:border-b"
      >
        <h1 className="px-2.5 text-xl">
          {items.length === 0 ? 'Nothing to decide' : `${capital(numberWord(items.length))} to decide`}
        </h1>
        <p className="px-2.5 pb-2 text-sm text-ink-2" role="status">
          {decided > 0
            ? `${counted(decided, 'decision')} since you opened this page`
            : 'The oldest of each cause first'}{' '}
          · next <kbd className="key">J</kbd>
        </p>
        <ItemList
          items={items}
          chosen={chosen?.id}
          zone={zone}
          onChoose={(id) => setSearch({ item: id }, { replace: true })}
        />
      </section>
      <section aria-label="The decision" className="flex min-h-0 min-w-0 flex-col bg-sheet">
        {chosen ? (
          <Decision key={chosen.id} item={chosen} zone={zone} onDecided={() => setDecided((count) => count + 1)} />
        ) : (
          <div className="p-6">
            <EmptyState
              title="Nothing waits for you."
              action={
                <Link to="/" className="underlined font-medium">
                  See the day
                </Link>
              }
            >
              A match that isn’t clear, a value that doesn’t fit, a write that may or may not be done: they stand here
              with the ways to go on.
            </EmptyState>
          </div>
        )}
      </section>
    </div>
  );
}

const causeWords: Record<DecideItem['cause'], string> = {
  unclear: 'Whose match isn’t clear',
  several: 'Several answer to the key',
  double: 'Likely the same as another',
  value: 'A value doesn’t fit',
  refused: 'Refused by the app',
  altered: 'Came back altered',
  unsure: 'May or may not be written',
  drift: 'The place has changed',
  connection: 'Waits for a connection',
  behind: 'Behind another',
};
const causeOrder = Object.keys(causeWords);

/** By cause, then by workflow, the oldest first. */
function grouped(items: readonly DecideItem[]): DecideItem[] {
  return [...items].sort(
    (a, b) =>
      causeOrder.indexOf(a.cause) - causeOrder.indexOf(b.cause) ||
      a.workflow.localeCompare(b.workflow) ||
      (a.takenAt < b.takenAt ? -1 : a.takenAt > b.takenAt ? 1 : 0),
  );
}

const small = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'];
const numberWord = (count: number): string => small[count] ?? String(count);
const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);

interface ListProps {
  readonly items: readonly DecideItem[];
  readonly chosen: string | undefined;
  readonly zone: string;
  readonly onChoose: (id: string) => void;
}

function ItemList({ items, chosen, zone, onChoose }: ListProps) {
  return (
    <ul>
      {items.map((item, at) => {
        const isFirst = items[at - 1]?.cause !== item.cause;
        const Icon = item.cause === 'connection' ? Plug : item.cause === 'drift' ? TriangleAlert : Hand;
        return (
          <li key={item.id}>
            {isFirst && (
              <h2 className="px-2.5 pt-2.5 pb-1 font-sans text-sm font-semibold text-ink-2">
                {causeWords[item.cause]} · {items.filter((one) => one.cause === item.cause).length}
              </h2>
            )}
            <button
              type="button"
              data-case={item.id}
              aria-current={item.id === chosen}
              onClick={() => onChoose(item.id)}
              className={`flex w-full items-start gap-2.5 rounded-lg border px-2.5 py-1.5 text-left ${item.id === chosen ? 'border-line-1 bg-sheet' : 'border-transparent hover:bg-pine-faint'}`}
            >
              <Icon
                size={16}
                strokeWidth={1.75}
                aria-hidden="true"
                className={`mt-0.5 shrink-0 ${item.cause === 'connection' || item.cause === 'drift' ? 'text-brick' : 'text-brass'}`}
              />
              <span className="min-w-0">
                <span className="block truncate font-medium">{item.title}</span>
                <span className="block truncate text-sm text-ink-2">
                  {item.workflow} · {formatInstant(item.takenAt, zone)}
                </span>
              </span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}

interface DecisionProps {
  readonly item: DecideItem;
  readonly zone: string;
  readonly onDecided: () => void;
}

function Decision({ item, zone, onDecided }: DecisionProps) {
  const found = useCase(item.id);
  const whole = useItem(item.id);
  if (found.isPending || whole.isPending) return <Loading what="the record" />;
  const error = found.error ?? whole.error;
  if (error)
    return (
      <div className="p-6">
        <ProblemMessage>{error.message}</ProblemMessage>
      </div>
    );
  if (found.data) return <Match item={item} shown={found.data} zone={zone} onDecided={onDecided} />;
  return (
    <div className="overflow-y-auto px-6 py-5">
      <Above item={item} zone={zone} />
      <h2 className="mb-3 text-2xl">{item.title}</h2>
      {whole.data && (
        <div className="max-w-[720px]">
          <SettleForm item={whole.data} />
          <Link
            to={`/workflows/${item.workflowId}/runs/${item.runId}?state=unsettled`}
            className="underlined font-medium"
          >
            See it in its run
          </Link>
        </div>
      )}
    </div>
  );
}

function Above({ item, zone }: { readonly item: DecideItem; readonly zone: string }) {
  return (
    <p className="text-sm text-ink-2">
      <Link to={`/workflows/${item.workflowId}`} className="inline-block min-h-6 leading-6 hover:underline">
        {item.workflow}
      </Link>{' '}
      · from the {item.source} · unsettled since {formatInstant(item.takenAt, zone)}
    </p>
  );
}

const percent = (value: number): string => `${Math.floor(value * 100)}%`;

interface MatchProps extends DecisionProps {
  readonly shown: MatchCase;
}

/** An unclear match: what is known beside each candidate, what speaks for and against, and the ways to go on. */
function Match({ item, shown, zone, onDecided }: MatchProps) {
  const { candidates, step } = shown;
  const [isDismissing, setDismissing] = useState(false);
  const [isMerging, setMerging] = useState(false);
  const [rule, setRule] = useState<{ candidate: string; says: 'same' | 'new' }>();
  const decide = useDo(async (body: Parameters<typeof call<'POST /api/items/:id/decide'>>[1]['body']) => {
    await call('POST /api/items/:id/decide', { params: { id: item.id }, body });
    onDecided();
  });
  const isBusy = decide.isPending;
  const take = (at: number): void => {
    const one = candidates[at];
    if (one && !isBusy) decide.mutate({ kind: 'choose', step, id: one.id });
  };
  const makeNew = (): void => {
    if (!isBusy) decide.mutate({ kind: 'new', step });
  };
  useShortcuts({
    ...Object.fromEntries(candidates.slice(0, 9).map((_, at) => [String(at + 1), () => take(at)])),
    '0': makeNew,
    m: () => shown.mayMerge && setMerging(true),
    x: () => setDismissing(true),
    r: () => candidates[0] && setRule({ candidate: candidates[0].id, says: 'same' }),
  });
  return (
    <>
      <div className="min-h-0 flex-1 overflow-auto px-6 py-5">
        <Above item={item} zone={zone} />
        <h2 className="mb-3 text-2xl">
          {candidates.length === 0
            ? `Nobody was found for ${item.title}`
            : `Which ${shown.singular} in the ${shown.app} is this?`}
        </h2>
        <SideBySide item={item} shown={shown} />
        <p className="mt-3 max-w-[860px] rounded-lg border border-dashed border-line-1 bg-paper px-3.5 py-2.5 text-ink-2">
          {shown.why}{' '}
          {candidates.length > 0 &&
            shown.somebodyNew !== null &&
            `One alone is taken above ${percent(shown.sure)}; ${percent(shown.somebodyNew)} speaks for somebody new. `}
          Nothing was written.
        </p>
      </div>
      <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-6 py-3">
        {candidates.slice(0, 4).map((one, at) => (
          <Button key={one.id} look={at === 0 ? 'main' : 'plain'} disabled={isBusy} onClick={() => take(at)}>
            <span className="max-w-[128px] truncate">It is {one.title}</span>
            <kbd className="key">{at + 1}</kbd>
          </Button>
        ))}
        <Button icon={<UserPlus size={15} strokeWidth={1.75} />} disabled={isBusy} onClick={makeNew}>
          {shown.mayCreate ? 'Somebody new' : 'None of them'} <kbd className="key">0</kbd>
        </Button>
        {shown.mayMerge && (
          <Button icon={<Merge size={15} strokeWidth={1.75} />} disabled={isBusy} onClick={() => setMerging(true)}>
            Both are one… <kbd className="key">M</kbd>
          </Button>
        )}
        <Button disabled={isBusy} onClick={() => setDismissing(true)}>
          Dismiss… <kbd className="key">X</kbd>
        </Button>
        {candidates.length > 0 && (
          <Button
            look="quiet"
            disabled={isBusy}
            onClick={() => setRule({ candidate: candidates[0]?.id ?? '', says: 'same' })}
          >
            Make it a rule… <kbd className="key">R</kbd>
          </Button>
        )}
      </footer>
      <DismissDialog
        isOpen={isDismissing}
        onClose={() => setDismissing(false)}
        onDismiss={(reason) => decide.mutate({ kind: 'dismiss', reason })}
      />
      {isMerging && <MergeDialog item={item} shown={shown} onClose={() => setMerging(false)} onDecided={onDecided} />}
      {rule && (
        <RuleDialog
          item={item}
          shown={shown}
          chosen={rule}
          onChoose={setRule}
          onClose={() => setRule(undefined)}
          onDecided={onDecided}
        />
      )}
    </>
  );
}

/** A weight of so many bits fills the whole bar. */
const fullBits = 12;

function SideBySide({ item, shown }: { readonly item: DecideItem; readonly shown: MatchCase }) {
  const { candidates, fields } = shown;
  return (
    <table className="sheet table-fixed">
      <thead>
        <tr>
          <th scope="col" className="w-[130px]">
            <span className="sr-only">Field</span>
          </th>
          <th scope="col" className="align-top">
            <span className="block font-normal">from the {item.source}</span>
            <span className="block truncate font-serif text-lg font-medium text-ink-1">{item.title}</span>
          </th>
          {candidates.map((one, at) => (
            <th key={one.id} scope="col" className="align-top">
              <span className="block truncate font-normal">
                {at + 1} · in the {shown.app}
              </span>
              <span className="block truncate font-serif text-lg font-medium text-ink-1">
                {one.link ? (
                  <a href={one.link} target="_blank" rel="noreferrer" className="hover:underline">
                    {one.title}
                  </a>
                ) : (
                  one.title
                )}
              </span>
              {one.probability !== null && (
                <span className="flex items-center gap-2 font-normal">
                  <span className="relative h-1.5 flex-1 rounded-sm bg-line-2" aria-hidden="true">
                    <span
                      className="absolute inset-y-0 left-0 rounded-sm bg-brass-fill"
                      style={{ width: percent(one.probability) }}
                    />
                    <span className="absolute -top-1 h-3.5 w-px bg-ink-2" style={{ left: percent(shown.sure) }} />
                  </span>
                  {percent(one.probability)}
                </span>
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {fields.map((field) => (
          <tr key={field.path}>
            <th scope="row" className="truncate font-normal! bg-sheet!">
              {field.label}
            </th>
            <td className="truncate" title={field.known}>
              {field.known || <em className="text-ink-3">empty</em>}
            </td>
            {field.values.map((value, at) => (
              <td key={candidates[at]?.id}>
                <span className="flex items-center gap-2">
                  <span className="min-w-0 flex-1 truncate" title={value.text}>
                    {value.text || <em className="text-ink-3">empty</em>}
                  </span>
                  {value.said && value.bearing && value.bearing !== 'empty' && field.known !== '' && (
                    <span
                      className={`flex min-w-0 shrink items-center gap-1.5 text-sm ${value.bits >= 0 ? 'text-pine' : 'text-brick'}`}
                      title={value.said}
                    >
                      <span className="truncate">{value.said}</span>
                      <span
                        aria-hidden="true"
                        className={`h-1.5 shrink-0 rounded-sm ${value.bits >= 0 ? 'bg-pine' : 'bg-brick'} opacity-60`}
                        style={{
                          width: `${Math.max(4, (Math.min(Math.abs(value.bits), fullBits) / fullBits) * 40)}px`,
                        }}
                      />
                    </span>
                  )}
                </span>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface DismissProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onDismiss: (reason: string) => void;
}

function DismissDialog({ isOpen, onClose, onDismiss }: DismissProps) {
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
        <span className="mb-1 block">The record goes nowhere and counts as dismissed, because</span>
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
function MergeDialog({ item, shown, onClose, onDecided }: MergeProps) {
  const [survivor, setSurvivor] = useState(shown.candidates[0]?.id ?? '');
  const [parts, setParts] = useState<readonly string[]>(shown.candidates.slice(0, 2).map((one) => one.id));
  const merge = useDo(async () => {
    const others = parts.filter((id) => id !== survivor);
    await call('POST /api/items/:id/merge', { params: { id: item.id }, body: { step: shown.step, survivor, others } });
    onDecided();
  }, 'Merged there. The record went on with the one that stays.');
  const others = parts.filter((id) => id !== survivor);
  return (
    <ConfirmDialog
      title="They are one"
      isOpen
      onClose={onClose}
      confirm={others.length === 0 ? 'Choose two at least' : `Merge ${counted(others.length + 1, 'record')}`}
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
    </ConfirmDialog>
  );
}

interface RuleProps extends MergeProps {
  readonly chosen: { readonly candidate: string; readonly says: 'same' | 'new' };
  readonly onChoose: (chosen: { candidate: string; says: 'same' | 'new' }) => void;
}

/** A decision that holds from now on: the rule in words and what it settles, before it is taken. */
function RuleDialog({ item, shown, chosen, onChoose, onClose, onDecided }: RuleProps) {
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
  const take = useDo(async () => {
    await ask(true);
    onDecided();
  }, 'The rule is taken.');
  const candidate = shown.candidates.find((one) => one.id === chosen.candidate);
  return (
    <ConfirmDialog
      title="Decide like this from now on"
      isOpen
      onClose={onClose}
      confirm="Take the rule"
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
          It is somebody new
        </label>
      </fieldset>
      <p className="mb-2 rounded-md border border-line-1 bg-paper px-3 py-2 font-serif text-md italic">
        Whenever {preview?.text ?? (chosen.says === 'same' ? candidate?.ruleSame : candidate?.ruleNew) ?? '…'}.
      </p>
      {preview && (
        <>
          <p>
            {preview.settles.length === 0
              ? 'No other record waits that it would settle.'
              : `It also settles ${counted(preview.settles.length, 'other record')} that wait: ${preview.settles
                  .slice(0, 6)
                  .map((one) => one.title)
                  .join(', ')}${preview.settles.length > 6 ? ' …' : ''}.`}
          </p>
          <p className="mt-1 flex items-center gap-1.5 text-sm text-ink-2">
            <Check size={14} aria-hidden="true" /> It goes into the workflow as a new version, and can be removed there.
          </p>
        </>
      )}
    </ConfirmDialog>
  );
}
