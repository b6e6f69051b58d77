import { goesBack, type UndoKind, type UndoWish, undoKinds } from '@golden/core';
import { RotateCcw, Send, Square, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { call } from '../api/client.ts';
import { type Undo, type UndoRow, useAction, useRun, useUndo } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { ItemDrawer } from '../parts/ItemDrawer.tsx';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { WaitNote } from '../parts/PauseNote.tsx';
import { UndoRows } from '../undo/UndoRows.tsx';
import { UndoSum } from '../undo/UndoSum.tsx';
import { isUnderWay, partsOf, partWords, whyTheyStay } from '../undo/words.ts';

/** A run is undone: what goes back and what stays is seen first, then it is carried out. */
export function UndoPage() {
  const { runId = '' } = useParams();
  const { zone } = useEditor();
  const run = useRun(runId);
  const undo = useUndo(runId);
  const look = useAction(() => call('POST /api/runs/:id/undo', { params: { id: runId } }));
  if (run.error ?? undo.error)
    return (
      <div className="p-5">
        <ProblemMessage>{(run.error ?? undo.error)?.message}</ProblemMessage>
      </div>
    );
  if (!run.data || undo.data === undefined) return <Loading what="the run" />;
  return (
    <div className="px-5 py-3">
      <header className="mb-2 flex flex-wrap items-center gap-3">
        <Link to=".." relative="path" className="underlined">
          The run
        </Link>
        <h1 className="text-xl">Undo the run of {formatInstant(run.data.startedAt, zone)}</h1>
      </header>
      {undo.data ? (
        <Undoing key={undo.data.id} undo={undo.data} zone={zone} onLook={() => look.mutate(undefined)} />
      ) : (
        <EmptyState
          title="Nothing was looked at yet."
          action={
            <Button look="main" disabled={look.isPending} onClick={() => look.mutate(undefined)}>
              Look at what would go back
            </Button>
          }
        >
          Each record of the run is looked at in its apps, as it is there now. Nothing is changed by looking.
        </EmptyState>
      )}
    </div>
  );
}

interface UndoingProps {
  readonly undo: Undo;
  readonly zone: string;
  readonly onLook: () => void;
}

function Undoing({ undo, zone, onLook }: UndoingProps) {
  const navigate = useNavigate();
  const [kind, setKind] = useState<UndoKind>();
  const [state, setState] = useState<'done' | 'stays' | 'looked'>();
  const [wish, setWish] = useState<UndoWish>({ used: false, sent: false });
  const [without, setWithout] = useState<ReadonlySet<string>>(new Set());
  const [isAsked, setAsked] = useState(false);
  const [itemId, setItemId] = useState('');
  const { id, kinds } = undo;
  const stop = useAction(() => call('POST /api/undos/:id/stop', { params: { id } }));
  const carryOut = useAction(async () => {
    setAsked(false);
    setKind(undefined);
    await call('POST /api/undos/:id/carry-out', { params: { id }, body: { ...wish, without: [...without] } });
  });
  const sendAgain = useAction(async () => {
    const { run } = await call('POST /api/undos/:id/send-again', { params: { id } });
    await navigate(`/workflows/${undo.workflowId}/runs/${run}`);
  });
  const isToChoose = undo.state === 'looked' || undo.state === 'stopped';
  const chosenKinds = undoKinds.filter((one) => goesBack(one, wish));
  const all = chosenKinds.reduce((sum, one) => sum + kinds[one], 0) - undo.done - undo.stays;
  const count = Math.max(0, all - without.size);
  const leave = (ids: readonly string[], isOut: boolean): void => {
    const next = new Set(without);
    for (const one of ids) isOut ? next.add(one) : next.delete(one);
    setWithout(next);
  };
  const wants = (next: Partial<UndoWish>): void => {
    setWish({ ...wish, ...next });
    setWithout(new Set());
  };
  return (
    <>
      <Standing undo={undo} zone={zone} />
      <div className="my-2.5 flex flex-wrap items-center gap-2">
        {isToChoose && (
          <Button look="main" icon={<Undo2 size={15} />} disabled={count === 0} onClick={() => setAsked(true)}>
            {count === 0 ? 'Undo' : `Undo ${counted(count, 'record')}…`}
          </Button>
        )}
        {isUnderWay(undo) && (
          <Button icon={<Square size={13} />} disabled={stop.isPending} onClick={() => stop.mutate(undefined)}>
            Stop
          </Button>
        )}
        {undo.maySend > 0 && ['done', 'stopped'].includes(undo.state) && (
          <Button icon={<Send size={14} />} disabled={sendAgain.isPending} onClick={() => sendAgain.mutate(undefined)}>
            Send {undo.maySend === 1 ? 'it' : `these ${formatNumber(undo.maySend)}`} again
          </Button>
        )}
        {!isUnderWay(undo) && (
          <Button look="quiet" icon={<RotateCcw size={15} strokeWidth={1.75} />} onClick={onLook}>
            Look again
          </Button>
        )}
        {isToChoose && <Wishes undo={undo} wish={wish} onWish={wants} />}
      </div>
      <UndoSum
        undo={undo}
        kind={kind}
        state={state}
        onKind={(one) => {
          setKind(one);
          setState(undefined);
        }}
        onState={(one) => {
          setState(one);
          setKind(undefined);
        }}
      />
      {kind && whyTheyStay[kind] && <p className="mt-2 text-ink-2">{whyTheyStay[kind]}</p>}
      <div className="mt-3">
        {undo.state !== 'looking' && undo.total > 0 && (
          <UndoRows
            key={`${kind ?? ''} ${state ?? ''}`}
            undo={undo}
            of={{ ...(kind && { kind }), ...(state && { state }) }}
            total={state ? undo[state] : kind ? kinds[kind] : undo.total}
            goesBack={isToChoose ? (row: UndoRow) => row.state === 'looked' && goesBack(row.kind, wish) : undefined}
            without={without}
            onWithout={leave}
            onOpen={setItemId}
          />
        )}
      </div>
      <ItemDrawer itemId={itemId} zone={zone} onClose={() => setItemId('')} />
      <ConfirmDialog
        title={`Undo ${counted(count, 'record')}`}
        isOpen={isAsked}
        onClose={() => setAsked(false)}
        confirm={`Undo ${counted(count, 'record')}`}
        isBusy={carryOut.isPending}
        onConfirm={() => carryOut.mutate(undefined)}
      >
        <Effects undo={undo} kinds={chosenKinds} left={without.size} />
        <p>Each is looked at once more before it goes back: what somebody has changed by then stays.</p>
        <p>Afterwards they count as undone. They can be sent again from here.</p>
      </ConfirmDialog>
    </>
  );
}

/** What is done in each place. */
function Effects({
  undo,
  kinds,
  left,
}: {
  readonly undo: Undo;
  readonly kinds: readonly UndoKind[];
  readonly left: number;
}) {
  return (
    <ul className="list-disc pl-5">
      {partsOf(undo, kinds)
        .flatMap(partWords)
        .map((words) => (
          <li key={words}>
            {left > 0 && 'At most '}
            {words}
          </li>
        ))}
    </ul>
  );
}

/** How far it is, in a sentence. */
function Standing({ undo, zone }: { readonly undo: Undo; readonly zone: string }) {
  const { kinds, total, done, stays, chosen } = undo;
  const lookedAt = Object.values(kinds).reduce((sum, one) => sum + one, 0);
  switch (undo.state) {
    case 'looking':
      return (
        <p role="status" className="font-serif text-lg">
          Looking at each record as it is now: {formatNumber(lookedAt)} of {formatNumber(total)}
        </p>
      );
    case 'undoing':
    case 'waiting':
      return (
        <div role="status">
          <p className="font-serif text-lg">
            Undoing: {formatNumber(done + stays)} of {formatNumber(done + stays + chosen)}
          </p>
          {undo.message && <WaitNote>{undo.message}</WaitNote>}
        </div>
      );
    case 'broken':
      return <ProblemMessage>{undo.message}</ProblemMessage>;
    case 'done':
    case 'stopped':
      return (
        <p role="status" className="font-serif text-lg">
          {undo.state === 'stopped' && 'Stopped. '}
          {done === 1 ? '1 record was undone' : `${formatNumber(done)} records were undone`}
          {undo.endedAt && ` at ${formatInstant(undo.endedAt, zone)}`}.
          {total > done &&
            ` ${formatNumber(total - done)} of the run ${total - done === 1 ? 'stays as it is' : 'stay as they are'}.`}
        </p>
      );
    case 'looked':
      return (
        <p className="max-w-[900px] font-serif text-lg">
          Of {counted(total, 'record')} of this run <b className="font-semibold">{formatNumber(kinds.back)}</b>{' '}
          {kinds.back === 1 ? 'goes' : 'go'} back
          {kinds.back > 0 && `: ${partsOf(undo, ['back']).flatMap(partWords).join('; ')}`}. Nothing is changed yet.
        </p>
      );
  }
}

interface WishesProps {
  readonly undo: Undo;
  readonly wish: UndoWish;
  readonly onWish: (next: Partial<UndoWish>) => void;
}

/** What goes back only if a person wants it. */
function Wishes({ undo, wish, onWish }: WishesProps) {
  const choices = [
    {
      name: 'used' as const,
      count: undo.kinds.used,
      text: (count: string) => `Undo also ${count} of which something else was made since`,
    },
    {
      name: 'sent' as const,
      count: undo.kinds.sent,
      text: (count: string) =>
        `Undo also ${count} that sent something: that stays sent, and goes out again if they are sent again`,
    },
  ];
  return choices
    .filter(({ count }) => count > 0)
    .map(({ name, count, text }) => (
      <label key={name} className="flex min-h-7 items-center gap-2">
        <input
          type="checkbox"
          checked={wish[name]}
          onChange={(event) => onWish({ [name]: event.target.checked })}
          className="accent-pine"
        />
        {text(`the ${formatNumber(count)}`)}
      </label>
    ));
}
