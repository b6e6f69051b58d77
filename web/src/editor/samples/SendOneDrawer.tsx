import { chooseAwkward, goesByPhone, type ItemState, type JsonRecord, messagesSent, recordTitle } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { Stamp } from 'lucide-react';
import { useEffect, useId, useState } from 'react';
import { call } from '../../api/client.ts';
import { type SheetRow, useAction, useItem, useRehearsal } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { ItemStory, StepStory } from '../../parts/ItemStory.tsx';
import { readLocal, storeLocal } from '../../parts/local-settings.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { OutcomeMark, stateLooks, writeLooks } from '../../parts/OutcomeMark.tsx';
import type { EditorContext } from '../draft/context.tsx';

interface SendProps {
  readonly context: EditorContext;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** One sample sent for real, read back beside what was sent, and taken back if wanted. */
export function SendOneDrawer({ context, isOpen, onClose }: SendProps) {
  const [sampleId, setSampleId] = useState('');
  const [itemId, setItemId] = useState('');
  const [goesTo, setGoesTo] = useState<'me' | 'them'>('me');
  const { draft, workflow } = context;
  const messages = messagesSent(draft.content);
  const sends = messages.length > 0;
  // Where it sends both, the mails are tried.
  const byPhone = sends && messages.every(goesByPhone);
  const own = byPhone ? myNumber : mine;
  const [typed, setTyped] = useState<Readonly<Record<string, string>>>({});
  const me = typed[own] ?? readLocal(own) ?? '';
  const setMe = (address: string): void => setTyped({ ...typed, [own]: address });
  const isInstead = sends && goesTo === 'me';
  const send = useAction(async (sourceId: string) => {
    await draft.flush();
    const { itemId: made } = await call('POST /api/workflows/:id/send-one', {
      params: { id: workflow.id },
      body: { sourceId, ...(isInstead && { instead: me.trim() }) },
    });
    if (isInstead) storeLocal(own, me.trim());
    // Each time it is asked anew whether it really goes to them.
    setGoesTo('me');
    setItemId(made);
  });
  const close = (): void => {
    setItemId('');
    onClose();
  };
  return (
    <Drawer
      title="Send one for real"
      isOpen={isOpen}
      onClose={close}
      isWide
      foot={
        itemId ? (
          <Button onClick={() => setItemId('')}>Try a different one</Button>
        ) : (
          <Button
            look="main"
            icon={<Stamp size={15} strokeWidth={1.75} />}
            disabled={!sampleId || send.isPending || (isInstead && me.trim() === '')}
            onClick={() => send.mutate(sampleId)}
          >
            {send.isPending ? 'Sending…' : 'Send this one'}
          </Button>
        )
      }
    >
      {!itemId && sends && <WhoGetsIt goesTo={goesTo} onChoose={setGoesTo} me={me} onMe={setMe} byPhone={byPhone} />}
      {!itemId && context.draft.content.steps.some(({ kind, isOff }) => kind === 'wait' && !isOff) && (
        <p className="mb-3 text-ink-2">
          {sends && !isInstead ? 'It waits as any other would.' : 'Nothing is waited for: all of it comes at once.'}
        </p>
      )}
      {!itemId && draft.content.steps.some(({ kind, isOff }) => kind === 'ask' && !isOff) && (
        <p className="mb-3 text-ink-2">
          It is asked about first, as any other would be;{' '}
          {isInstead
            ? 'you alone are written to.'
            : sends
              ? 'whoever is named there is written to.'
              : 'nobody is written to: answer it under Needs you.'}
        </p>
      )}
      {itemId ? (
        <Sent itemId={itemId} zone={context.zone} />
      ) : (
        <Choice context={context} chosen={sampleId} onChoose={setSampleId} />
      )}
    </Drawer>
  );
}

/** Where one's own address is remembered, and one's own number. */
const mine = 'golden-my-address';
const myNumber = 'golden-my-number';

interface WhoProps {
  readonly goesTo: 'me' | 'them';
  readonly onChoose: (goesTo: 'me' | 'them') => void;
  readonly me: string;
  readonly onMe: (address: string) => void;
  readonly byPhone: boolean;
}

/** What goes out can't be taken back: it goes to oneself, unless it is chosen otherwise each time. */
function WhoGetsIt({ goesTo, onChoose, me, onMe, byPhone }: WhoProps) {
  const id = useId();
  return (
    <fieldset className="mb-3 space-y-1.5 rounded-md border border-line-1 bg-sheet px-3 py-2">
      <legend className="sr-only">Who gets it</legend>
      <div className="flex items-center gap-2">
        <input
          type="radio"
          id={`${id}-me`}
          checked={goesTo === 'me'}
          onChange={() => onChoose('me')}
          className="accent-pine"
        />
        <label htmlFor={`${id}-me`}>{byPhone ? 'Text messages go to me, at' : 'Mails go to me, at'}</label>
        <input
          aria-label={byPhone ? 'My telephone number' : 'My e-mail address'}
          type={byPhone ? 'tel' : 'email'}
          value={me}
          placeholder={byPhone ? '+441632960771' : 'name@firm.example'}
          onChange={(event) => onMe(event.target.value)}
          className={`${inputLook} w-[260px]`}
        />
      </div>
      <label className="flex items-center gap-2">
        <input type="radio" checked={goesTo === 'them'} onChange={() => onChoose('them')} className="accent-pine" />
        Really to them: that can’t be taken back
      </label>
    </fieldset>
  );
}

interface ChoiceProps {
  readonly context: EditorContext;
  readonly chosen: string;
  readonly onChoose: (id: string) => void;
}

/**
 * The samples to choose from, the awkward ones first, each with what it would become; what was made up
 * can't be sent. What it would become is rehearsed when nobody has done so for this draft.
 */
function Choice({ context, chosen, onChoose }: ChoiceProps) {
  const { rows, isRehearsing, problem } = useRehearsedSamples(context);
  const samples = context.samples.filter((sample) => sample.origin === 'real');
  const { content } = context.draft;
  const fields = content.start.source?.described.fields ?? [];
  const offered = chooseAwkward(samples, (sample) => sample.record as JsonRecord, fields, 8);
  const others = samples.filter((sample) => !offered.some((one) => one.sample.id === sample.id));
  return (
    <>
      <p className="mb-3 text-ink-2">
        The draft is saved as a version. This one record is written to its real destination and read back. You can take
        it back afterwards.
      </p>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      <p role="status" className="text-sm text-ink-2">
        {isRehearsing && 'Rehearsing what each would become…'}
      </p>
      <fieldset>
        <legend className="sr-only">Which record</legend>
        <ul className="divide-y divide-line-2 rounded-md border border-line-1">
          {[...offered, ...others.map((sample) => ({ sample, why: '' }))].map(({ sample, why }) => {
            const row = rows.get(sample.id);
            return (
              <li key={sample.id} className={chosen === sample.id ? 'bg-pine-faint' : ''}>
                <label className="flex items-baseline gap-2 px-3 py-1.5">
                  <input
                    type="radio"
                    name="sample"
                    checked={chosen === sample.id}
                    onChange={() => onChoose(sample.id)}
                    className="accent-pine"
                  />
                  <span className="truncate">{recordTitle(sample.record as JsonRecord)}</span>
                  <span className="truncate text-sm text-brass">{why}</span>
                  <span className="ml-auto shrink-0">{row && <Becomes row={row} />}</span>
                </label>
                {chosen === sample.id && row && (
                  <div className="px-3 pt-1 pb-3 pl-8">
                    <StepStory content={content} state={row.detail as ItemState} isRehearsal />
                  </div>
                )}
              </li>
            );
          })}
        </ul>
      </fieldset>
    </>
  );
}

/** What a sample would become, in a word: what its last write does, or where it stops. */
function Becomes({ row }: { readonly row: SheetRow }) {
  if (row.state !== 'delivered') return <OutcomeMark look={stateLooks[row.state]} />;
  const written = Object.values((row.detail as ItemState).steps).flatMap((result) =>
    result.kind === 'written' ? [result.outcome] : [],
  );
  const outcome = written.at(-1);
  return <OutcomeMark look={outcome ? writeLooks[outcome] : stateLooks.delivered} />;
}

/** The rehearsed samples of the draft as it is; rehearsed now where nobody has done so. */
function useRehearsedSamples({ workflow, draft }: EditorContext): {
  readonly rows: ReadonlyMap<string, SheetRow>;
  readonly isRehearsing: boolean;
  readonly problem: string | undefined;
} {
  const { data: rehearsal, isPending } = useRehearsal(workflow.id);
  const begin = useAction(async () => {
    await draft.flush();
    await call('POST /api/workflows/:id/rehearsal', { params: { id: workflow.id }, body: { scope: 'samples' } });
  });
  const isKnown = rehearsal?.isOfThisDraft === true && rehearsal.state === 'done';
  const isNeeded = !isPending && !isKnown && rehearsal?.state !== 'running' && begin.isIdle;
  const { mutate } = begin;
  useEffect(() => {
    if (isNeeded) mutate(undefined);
  }, [isNeeded, mutate]);
  const items = useQuery({
    queryKey: ['rehearsal-items', workflow.id, rehearsal?.startedAt ?? '', 'samples to send'],
    queryFn: () =>
      call('GET /api/workflows/:id/rehearsal/items', { params: { id: workflow.id }, query: { from: 0, limit: 500 } }),
    enabled: isKnown,
  });
  return {
    rows: new Map((isKnown ? (items.data ?? []) : []).map((row) => [row.sourceId, row])),
    isRehearsing: !isKnown && !begin.error,
    problem: begin.error?.message ?? rehearsal?.message ?? undefined,
  };
}

function Sent({ itemId, zone }: { readonly itemId: string; readonly zone: string }) {
  const item = useItem(itemId).data;
  return item ? <ItemStory item={item} zone={zone} /> : <Loading what="what was sent" />;
}
