import { emptyContent, type Place, type Start } from '@golden/core';
import { ChevronDown, ChevronRight, Radio, Send } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { call } from '../../api/client.ts';
import { type DoorView, useAction, useDoor } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { formatSeconds } from '../../parts/formats.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';
import { CameList } from './CameList.tsx';
import { CopyText } from './CopyText.tsx';
import { MoreOfTheDoor, RepeatsBy } from './MoreOfTheDoor.tsx';
import { TestEventDrawer } from './TestEventDrawer.tsx';
import { useLearning } from './use-learning.ts';
import { WhoMayPost } from './WhoMayPost.tsx';

interface DoorProps {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A start that is posted: its address, who may post, and what has come there. */
export function DoorSheet({ start, source, onChange }: DoorProps) {
  const [door = ''] = source.path;
  const view = useDoor(door);
  const learn = useLearning(source, view.data?.counts.came);
  const save = useAction((given: { readonly setting: DoorView['setting']; readonly secret?: string }) =>
    call('PUT /api/doors/:id', { params: { id: door }, body: given }),
  );
  const [isMore, setMore] = useState(false);
  const [isTesting, setTesting] = useState(false);
  if (view.error) return <ProblemMessage>{view.error.message}</ProblemMessage>;
  if (!view.data) return <Loading what="the address" />;
  const { url, setting, came } = view.data;
  const change = (next: DoorView['setting'], secret?: string): void =>
    save.mutate({ setting: next, ...(secret !== undefined && { secret }) });
  return (
    <>
      <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
        <dt className="text-ink-2">Posted to us</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <strong className="font-medium">{view.data.name}</strong>
          <Button look="quiet" className="ml-auto" onClick={() => onChange({ ...emptyContent('').start })}>
            Take records from an app instead
          </Button>
        </dd>
        <dt className="self-start pt-1 text-ink-2">Its address</dt>
        <dd>
          <CopyText label="The address" text={url} />
          <Reached view={view.data} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">Who may post</dt>
        <dd>
          <WhoMayPost door={door} setting={setting} onChange={change} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">Its fields</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <Waiting door={door} until={view.data.waitingUntil} count={view.data.counts.came} />
          <Button look="quiet" icon={<Send size={14} strokeWidth={1.75} />} onClick={() => setTesting(true)}>
            Send a test event
          </Button>
          <span className="text-sm text-ink-2">
            {came.length === 0
              ? 'They are learnt from the first event that comes.'
              : `${source.described.fields.filter((field) => !field.readOnly).length} fields are known.`}
          </span>
        </dd>
        <dt className="text-ink-2">Repeats are told by</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <RepeatsBy setting={setting} onChange={change} />
          <Button
            look="quiet"
            aria-expanded={isMore}
            icon={isMore ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
            onClick={() => setMore(!isMore)}
          >
            More settings
          </Button>
        </dd>
        {isMore && <MoreOfTheDoor door={door} setting={setting} onChange={change} />}
        <dt className="self-start pt-1 text-ink-2">From when</dt>
        <dd>
          <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => onChange({ fromWhen })} />
        </dd>
      </dl>
      {came.length === 0 && <SetUpSteps view={view.data} />}
      <CameList door={door} view={view.data} onLearnt={() => void learn()} />
      <TestEventDrawer door={door} isOpen={isTesting} onClose={() => setTesting(false)} />
    </>
  );
}

/** Who reaches the address, and how to let others. */
function Reached({ view }: { readonly view: DoorView }) {
  if (!view.isPublic)
    return (
      <p className="mt-1 text-sm text-brass">
        Only this machine reaches it.{' '}
        <Link to="/settings" className="underlined">
          Set a public address
        </Link>{' '}
        so that an app elsewhere can post to it.
      </p>
    );
  return (
    <p className={`mt-1 text-sm ${view.isProven ? 'text-pine' : 'text-brass'}`}>
      {view.isProven
        ? 'An event has come in by it.'
        : 'No event has come in by it yet. It can go live once one has, so that you know the way is open.'}
    </p>
  );
}

interface WaitingProps {
  readonly door: string;
  readonly until: string | null;
  readonly count: number;
}

/** Waits for an event: how long by now, until one comes or somebody stops. */
function Waiting({ door, until, count }: WaitingProps) {
  const [began, setBegan] = useState<{ readonly at: number; readonly count: number }>();
  const [now, setNow] = useState(Date.now());
  const wait = useAction((isWaiting: boolean) =>
    call('POST /api/doors/:id/wait', { params: { id: door }, body: { isWaiting } }),
  );
  const isOver = began !== undefined && count > began.count;
  const isWaiting = began !== undefined && !isOver && until !== null;
  useEffect(() => {
    if (!isWaiting) return;
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, [isWaiting]);
  if (isWaiting)
    return (
      <>
        <Button
          onClick={() => {
            setBegan(undefined);
            wait.mutate(false);
          }}
        >
          Stop waiting
        </Button>
        <span role="status" className="tabular-nums text-pine">
          Waiting for an event… {formatSeconds(Math.floor((now - began.at) / 1000))}
        </span>
      </>
    );
  return (
    <>
      <Button
        look={count === 0 ? 'main' : 'plain'}
        icon={<Radio size={14} strokeWidth={1.75} />}
        onClick={() => {
          setBegan({ at: Date.now(), count });
          setNow(Date.now());
          wait.mutate(true);
        }}
      >
        Wait for an event
      </Button>
      {isOver && (
        <span role="status" className="text-pine">
          One has come. {count === 1 && 'Post a second, different one to compare.'}
        </span>
      )}
    </>
  );
}

/** What is done in the other app, in plain words. */
function SetUpSteps({ view: { setting, url } }: { readonly view: DoorView }) {
  const { access } = setting;
  const steps = [
    'In the other app, look for “webhooks”, “notifications” or “integrations”, and add one.',
    'Paste the address there, and choose which events it is told of. Where it asks for a format, choose JSON.',
    access.kind === 'secret'
      ? `Make a secret above, and paste it there as the value of a header called “${access.header}”.`
      : access.kind === 'anybody'
        ? 'No secret is needed.'
        : 'Make a secret above and paste it there, or enter the one that the other app gives.',
    'Choose “Wait for an event” here, and let the other app send one: change a record there, or press its test button.',
  ];
  return (
    <section aria-label="Set it up in the other app" className="border-t border-line-1 px-5 py-4">
      <h3 className="mb-2 font-medium">Set it up in the other app</h3>
      <ol className="list-decimal space-y-1 pl-5">
        {steps.map((step) => (
          <li key={step}>{step}</li>
        ))}
      </ol>
      <p className="mt-3 text-sm text-ink-2">
        To try it from a command line of this machine:{' '}
        <code className="font-mono break-all [font-variant-ligatures:none]">
          curl -H 'content-type: application/json'{access.kind === 'secret' && ` -H '${access.header}: …'`} -d '
          {'{"name":"Ada"}'}' {url}
        </code>
      </p>
    </section>
  );
}
