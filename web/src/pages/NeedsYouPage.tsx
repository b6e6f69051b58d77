import { Hand, ListChecks, Merge, MessageCircleQuestion, Plug, TriangleAlert, UserPlus } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import {
  type DecideItem,
  type MatchCase,
  useAction,
  useAlike,
  useAsks,
  useCase,
  useDecide,
  useItem,
  useSettings,
} from '../api/queries.ts';
import { AskCards, groupTitle, titlesText } from '../asking/AskCards.tsx';
import { AlikeDrawer } from '../needs-you/AlikeDrawer.tsx';
import { DismissDialog, MergeDialog, RuleDialog } from '../needs-you/dialogs.tsx';
import { capital, numberWord } from '../needs-you/labels.ts';
import { SideBySide } from '../needs-you/SideBySide.tsx';
import { WholeRecord } from '../needs-you/WholeRecord.tsx';
import { WrittenAlready } from '../needs-you/WrittenAlready.tsx';
import { Button } from '../parts/Button.tsx';
import { counted, formatInstant, percentText } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { SettleForm } from '../parts/SettleForm.tsx';
import { useShortcuts } from '../parts/shortcuts.ts';

/** The desk: what waits for a decision, grouped by cause, one after the other. */
export function NeedsYouPage() {
  const desk = useDecide();
  const zone = useSettings().data?.zone ?? 'utc';
  const [search, setSearch] = useSearchParams();
  const items = useMemo(() => grouped(desk.data ?? []), [desk.data]);
  const needed = items.length + (useAsks().data ?? []).length;
  const [decided, setDecided] = useState(0);
  // Kept here, since the case that it began with goes while the others are settled.
  const [like, setLike] = useState<DecideItem>();
  const asked = search.get('item') ?? firstOf(items, search.get('workflow'), search.get('cause'));
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
    <div className="grid h-full min-h-0 grid-cols-[clamp(220px,24vw,300px)_1fr] max-md:grid-cols-[minmax(0,1fr)] max-md:grid-rows-[auto_1fr] max-md:overflow-y-auto">
      <section
        aria-label="What waits"
        className="min-h-0 overflow-y-auto border-r border-line-1 px-2.5 py-4 max-md:max-h-[38vh] max-md:border-r-0 max-md:border-b"
      >
        <h1 className="px-2.5 text-xl">
          {needed === 0 ? 'Nothing needs you' : `${capital(numberWord(needed))} ${needed === 1 ? 'needs' : 'need'} you`}
        </h1>
        <p className="px-2.5 pb-2 text-sm text-ink-2" role="status">
          {decided > 0
            ? `${counted(decided, 'decision')} since you opened this page`
            : 'The oldest of each cause first'}{' '}
          · next <kbd className="key">J</kbd>
        </p>
        <ToAnswer />
        <ItemList
          items={items}
          chosen={chosen?.id}
          zone={zone}
          onChoose={(id) => setSearch({ item: id }, { replace: true })}
        />
      </section>
      <section aria-label="The decision" className="flex min-h-0 min-w-0 flex-col bg-sheet">
        {chosen ? (
          <Decision
            key={chosen.id}
            item={chosen}
            zone={zone}
            onDecided={() => setDecided((count) => count + 1)}
            onSettleMany={setLike}
          />
        ) : (
          <div className="p-6">
            <ul className="mb-4 grid grid-cols-[repeat(auto-fill,minmax(300px,1fr))] gap-3">
              <AskCards zone={zone} />
            </ul>
            <EmptyState
              title={needed === 0 ? 'Nothing needs you.' : 'Nothing else needs you.'}
              action={
                <Link to="/" className="underlined font-medium">
                  See the day
                </Link>
              }
            >
              Unclear matches, values that don’t fit, writes that may or may not be done: they are listed here, each
              with what you can do.
            </EmptyState>
          </div>
        )}
      </section>
      {like && (
        <AlikeDrawer
          item={like}
          onClose={() => setLike(undefined)}
          onDecided={(count) => setDecided((before) => before + count)}
        />
      )}
    </div>
  );
}

/** The first record of a workflow and a cause, which a card of Today leads to. */
const firstOf = (items: readonly DecideItem[], workflow: string | null, cause: string | null): string | undefined =>
  items.find((one) => one.workflowId === workflow && one.cause === cause)?.id;

const causeWords: Record<DecideItem['cause'], string> = {
  unclear: 'The match isn’t clear',
  several: 'Several records match',
  double: 'Probably the same as another',
  value: 'A value doesn’t fit',
  refused: 'Refused by the app',
  altered: 'Came back altered',
  returned: 'Went out, and came back',
  differs: 'Holds something else there',
  unsure: 'May or may not be written',
  drift: 'The place has changed',
  gone: 'Deleted there',
  removal: 'To be removed for good',
  connection: 'Waits for a connection',
  account: 'Begun in another account',
  held: 'More than usual',
  fault: 'Golden Relay had a fault',
  circle: 'May go round in a circle',
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

/** What people are asked by workflows: it is to be done, and is no fault. */
function ToAnswer() {
  const groups = useAsks().data ?? [];
  if (groups.length === 0) return null;
  return (
    <>
      <h2 className="px-2.5 pt-2.5 pb-1 font-sans text-sm font-semibold text-ink-2">To approve and answer</h2>
      <ul>
        {groups.map((group) => (
          <li key={`${group.workflowId} ${group.step}`}>
            <Link
              to={`/answer/${group.workflowId}/${group.step}`}
              className="flex w-full items-start gap-2.5 rounded-lg border border-transparent px-2.5 py-1.5 hover:bg-pine-faint"
            >
              <MessageCircleQuestion
                size={16}
                strokeWidth={1.75}
                aria-hidden="true"
                className="mt-0.5 shrink-0 text-pine"
              />
              <span className="min-w-0">
                <span className="block truncate font-medium">{groupTitle(group)}</span>
                <span className="block truncate text-sm text-ink-2">
                  {group.workflow} · {titlesText(group)}
                </span>
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}

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
  readonly onSettleMany: (like: DecideItem) => void;
}

function Decision({ item, zone, onDecided, onSettleMany }: DecisionProps) {
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
  if (found.data)
    return <Match item={item} shown={found.data} zone={zone} onDecided={onDecided} onSettleMany={onSettleMany} />;
  return (
    <div className="overflow-y-auto px-6 py-5">
      <Above item={item} zone={zone} />
      <h2 className="mb-3 text-2xl">{item.title}</h2>
      {whole.data && (
        <div className="grid max-w-[1180px] items-start gap-x-6 gap-y-4 xl:grid-cols-[minmax(0,1fr)_minmax(0,420px)]">
          <div className="min-w-0">
            <SettleForm item={whole.data} />
            <WrittenAlready item={whole.data} />
            <p className="flex flex-wrap items-center gap-3">
              <OthersLikeIt item={item} onSettleMany={onSettleMany} />
              <Link
                to={`/workflows/${item.workflowId}/runs/${item.runId}?state=unsettled`}
                className="underlined font-medium"
              >
                See it in its run
              </Link>
            </p>
          </div>
          <WholeRecord item={whole.data} source={item.source} />
        </div>
      )}
    </div>
  );
}

/** Leads to the cases that are settled by the same answer, where there are others. */
function OthersLikeIt({ item, onSettleMany }: Pick<DecisionProps, 'item' | 'onSettleMany'>) {
  const alike = useAlike(item.id).data ?? [];
  if (alike.length < 2) return null;
  return (
    <Button icon={<ListChecks size={15} strokeWidth={1.75} />} onClick={() => onSettleMany(item)}>
      Settle {alike.length} like this at once…
    </Button>
  );
}

function Above({ item, zone }: { readonly item: DecideItem; readonly zone: string }) {
  return (
    <p className="text-sm text-ink-2">
      <Link to={`/workflows/${item.workflowId}`} className="inline-block min-h-6 leading-6 hover:underline">
        {item.workflow}
      </Link>{' '}
      · from the {item.source} · since {formatInstant(item.takenAt, zone)}
    </p>
  );
}

interface MatchProps extends DecisionProps {
  readonly shown: MatchCase;
}

/** An unclear match: what is known beside each candidate, what speaks for and against, and the ways to go on. */
function Match({ item, shown: whole, zone, onDecided, onSettleMany }: MatchProps) {
  // Who is hardly it only takes room from those who may be.
  const hardly = whole.candidates.findIndex(({ probability }, at) => at >= 2 && (probability ?? 1) < 0.01);
  const candidates = hardly < 0 ? whole.candidates : whole.candidates.slice(0, hardly);
  const shown = {
    ...whole,
    candidates,
    fields: whole.fields.map((field) => ({ ...field, values: field.values.slice(0, candidates.length) })),
  };
  const { step } = shown;
  const [isDismissing, setDismissing] = useState(false);
  const [isMerging, setMerging] = useState(false);
  const [rule, setRule] = useState<{ candidate: string; says: 'same' | 'new' }>();
  const decide = useAction(async (body: Parameters<typeof call<'POST /api/items/:id/decide'>>[1]['body']) => {
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
  // The likeliest answer stands first, also when it is somebody new; a main button only where one candidate leads.
  const isNewLikelier = shown.somebodyNew !== null && shown.somebodyNew > 0.5;
  const [best, second] = candidates.map(({ probability }) => probability ?? 0);
  const leads = !isNewLikelier && (best ?? 0) >= 0.5 && (best ?? 0) > (second ?? 0);
  const newButton = (
    <Button icon={<UserPlus size={15} strokeWidth={1.75} />} disabled={isBusy} onClick={makeNew}>
      {shown.mayCreate ? 'A new one' : 'None of them'} <kbd className="key">0</kbd>
    </Button>
  );
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
            `A match is used by itself from ${percentText(shown.sure)}; it is a new one with ${percentText(shown.somebodyNew)}. `}
          Nothing was written.
        </p>
      </div>
      <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-6 py-3 max-md:px-3">
        {isNewLikelier && newButton}
        {candidates.slice(0, 4).map((one, at) => (
          <Button key={one.id} look={at === 0 && leads ? 'main' : 'plain'} disabled={isBusy} onClick={() => take(at)}>
            <span className="max-w-[128px] truncate">It is {one.title}</span>
            <kbd className="key">{at + 1}</kbd>
          </Button>
        ))}
        {!isNewLikelier && newButton}
        {shown.mayMerge && (
          <Button icon={<Merge size={15} strokeWidth={1.75} />} disabled={isBusy} onClick={() => setMerging(true)}>
            Merge them… <kbd className="key">M</kbd>
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
            Make a rule… <kbd className="key">R</kbd>
          </Button>
        )}
        <OthersLikeIt item={item} onSettleMany={onSettleMany} />
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
