import { type Place, type TriggerOf, tellingOf } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { PlugZap } from 'lucide-react';
import { call } from '../../api/client.ts';
import { useAction, useDoor } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Select } from '../../parts/Field.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { CameList } from './CameList.tsx';
import { CopyText } from './CopyText.tsx';
import { Reached } from './Reached.tsx';
import { Waiting } from './Waiting.tsx';
import { WhoMayPost } from './WhoMayPost.tsx';

type Trigger = TriggerOf<'event'>;

interface TellingProps {
  readonly source: Place;
  readonly trigger: Trigger;
  readonly onChange: (trigger: Trigger) => void;
}

/** Events of an app that only tell of its records: where they are posted, and where in them the record's id stands. */
export function TellingSheet({ source, trigger, onChange }: TellingProps) {
  const { workflow, connections } = useEditor();
  const inbox = tellingOf({ trigger })?.inbox ?? '';
  const door = useDoor(inbox);
  const telling = useQuery({
    queryKey: ['door', inbox, 'telling', door.data?.counts.came],
    queryFn: () => call('GET /api/workflows/:id/telling', { params: { id: workflow.id }, query: { inbox } }),
    enabled: inbox !== '',
  });
  const app = connections.find(({ id }) => id === source.connection)?.name ?? 'the app';
  const register = useAction(async () => {
    const { id } = await call('POST /api/workflows/:id/telling/register', {
      params: { id: workflow.id },
      body: { inbox },
    });
    onChange({ ...trigger, tells: { id } });
  }, `${app} posts its events here from now on.`);
  const save = useAction(
    (given: { readonly setting: NonNullable<typeof door.data>['setting']; readonly secret?: string }) =>
      call('PUT /api/doors/:id', { params: { id: inbox }, body: given }),
  );
  if (door.error) return <ProblemMessage>{door.error.message}</ProblemMessage>;
  if (!door.data || !telling.data) return <Loading what="the address" />;
  const { url, setting, counts, waitingUntil } = door.data;
  const fields = telling.data.fields.filter(({ type }) => type !== 'list' && type !== 'record');
  const id = trigger.tells?.id ?? '';
  const choices = [
    { value: '', label: fields.length === 0 ? 'known once an event has come' : 'Choose the field' },
    ...fields.map(({ path, label }) => ({ value: path, label: `${label} (${path.slice(1).replaceAll('/', ' → ')})` })),
  ];
  const isKnown = choices.some(({ value }) => value === id);
  return (
    <section aria-label="Events that tell of records" className="border-t border-line-1">
      <dl className="grid grid-cols-[128px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
        <dt className="self-start pt-1 text-ink-2">Posted to</dt>
        <dd>
          <CopyText label="The address" text={url} />
          <Reached view={door.data} />
          {telling.data.canRegister && (
            <p className="mt-2 flex flex-wrap items-center gap-2">
              <Button
                look={counts.came === 0 ? 'main' : 'plain'}
                icon={<PlugZap size={14} strokeWidth={1.75} />}
                disabled={register.isPending}
                onClick={() => register.mutate(undefined)}
              >
                {register.isPending ? 'Registering…' : `Register it in ${app}`}
              </Button>
              {register.error && <span className="w-full text-sm text-brick">{register.error.message}</span>}
              <span className="text-sm text-ink-2">
                It then posts here by itself, signed. Nothing else changes there.
              </span>
            </p>
          )}
        </dd>
        <dt className="self-start pt-1 text-ink-2">Who may post</dt>
        <dd>
          <WhoMayPost
            door={inbox}
            setting={setting}
            onChange={(next, secret) => save.mutate({ setting: next, ...(secret !== undefined && { secret }) })}
          />
        </dd>
        <dt className="text-ink-2">The record’s id</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <Select
            aria-label="The field of the event with the record’s id"
            value={id}
            onChange={(event) => onChange({ ...trigger, tells: { id: event.target.value } })}
            choices={isKnown ? choices : [...choices, { value: id, label: id.slice(1).replaceAll('/', ' → ') }]}
          />
          <Waiting door={inbox} until={waitingUntil} count={counts.came} />
        </dd>
        <dt className="text-ink-2">Asked besides</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <Select
            aria-label="How often the app is asked besides"
            value={String(trigger.alsoEvery ?? 1440)}
            onChange={(event) => onChange({ ...trigger, alsoEvery: Number(event.target.value) })}
            choices={[
              { value: '60', label: 'every hour' },
              { value: '240', label: 'every 4 hours' },
              { value: '1440', label: 'once a day' },
            ]}
          />
          <span className="text-sm text-ink-2">
            so that what no event told of comes too; it is counted as never posted.
          </span>
        </dd>
      </dl>
      <CameList door={inbox} view={door.data} onLearnt={() => undefined} />
    </section>
  );
}
