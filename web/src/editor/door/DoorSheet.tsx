import { emptyContent, type Place, type Start } from '@golden/core';
import { ChevronDown, ChevronRight, Send } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type DoorView, useAction, useDoor } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';
import { CameList } from './CameList.tsx';
import { CopyText } from './CopyText.tsx';
import { MoreOfTheDoor, RepeatsBy } from './MoreOfTheDoor.tsx';
import { Reached } from './Reached.tsx';
import { TestEventDrawer } from './TestEventDrawer.tsx';
import { useLearning } from './use-learning.ts';
import { Waiting } from './Waiting.tsx';
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
