import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type DoorView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { ConfirmDialog } from '../../parts/ConfirmDialog.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';

type Setting = DoorView['setting'];

interface MoreProps {
  readonly door: string;
  readonly setting: Setting;
  readonly onChange: (setting: Setting) => void;
}

/** By what a repeat is told. */
export function RepeatsBy({ setting, onChange }: Omit<MoreProps, 'door'>) {
  const { draft } = useEditor();
  const { eventId } = setting;
  const fields = draft.content.start.source?.described.fields ?? [];
  const set = (next: Setting['eventId']): void => onChange({ ...setting, eventId: next });
  const choose = (kind: string): void => {
    if (kind === 'header') set({ kind, name: 'webhook-id' });
    else if (kind === 'field')
      set({ kind, path: fields.find((one) => /id|no|number/i.test(one.label) && !one.readOnly)?.path ?? '/id' });
    else if (kind === 'body') set({ kind, minutes: 10 });
    else set({ kind: 'none' });
  };
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Select
        aria-label="By what a repeat is told"
        value={eventId.kind}
        onChange={(event) => choose(event.target.value)}
        choices={[
          { value: 'none', label: 'nothing: each one counts' },
          { value: 'header', label: 'the id in a header' },
          { value: 'field', label: 'a field of it' },
          { value: 'body', label: 'the same content within some minutes' },
        ]}
      />
      {eventId.kind === 'header' && (
        <input
          key={eventId.name}
          aria-label="The header with the id"
          defaultValue={eventId.name}
          onBlur={(event) => event.target.value !== eventId.name && set({ kind: 'header', name: event.target.value })}
          className={`${inputLook} w-[160px] font-mono text-sm`}
        />
      )}
      {eventId.kind === 'field' && (
        <Chooser
          aria-label="The field that tells repeats"
          value={eventId.path}
          placeholder="Choose a field"
          onChoose={(path) => set({ kind: 'field', path })}
          choices={fields.filter((one) => !one.readOnly).map((one) => ({ value: one.path, label: one.label }))}
        />
      )}
      {eventId.kind === 'body' && (
        <Select
          aria-label="Within how many minutes"
          value={String(eventId.minutes)}
          onChange={(event) => set({ kind: 'body', minutes: Number(event.target.value) })}
          choices={[...new Set([1, 5, 10, 60, 1440, eventId.minutes])]
            .sort((one, other) => one - other)
            .map((minutes) => ({ value: String(minutes), label: minutes === 1440 ? 'a day' : `${minutes} minutes` }))}
        />
      )}
    </div>
  );
}

/** What is seldom set: what callers are answered, from which networks, by GET, another address. */
export function MoreOfTheDoor({ door, setting, onChange }: MoreProps) {
  const [isRenewing, setRenewing] = useState(false);
  const renew = useAction(
    () => call('POST /api/doors/:id/renew', { params: { id: door } }),
    'The address is a new one.',
  );
  const { answer } = setting;
  return (
    <>
      <dt className="text-ink-2">Callers are answered</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="The status that callers are answered"
          value={String(answer.status)}
          onChange={(event) =>
            onChange({ ...setting, answer: { ...answer, status: Number(event.target.value) as 202 } })
          }
          choices={[200, 201, 202, 204].map((status) => ({ value: String(status), label: String(status) }))}
        />
        {answer.status !== 204 && (
          <input
            key={answer.text}
            aria-label="The text that callers are answered"
            placeholder="with no text"
            defaultValue={answer.text}
            onBlur={(event) =>
              event.target.value !== answer.text &&
              onChange({ ...setting, answer: { ...answer, text: event.target.value } })
            }
            className={`${inputLook} w-[280px]`}
          />
        )}
      </dd>
      <dt className="text-ink-2">Only from</dt>
      <dd>
        <input
          key={setting.networks.join(', ')}
          aria-label="Networks that may post"
          placeholder="anywhere; or addresses such as 203.0.113.0/24"
          defaultValue={setting.networks.join(', ')}
          onBlur={(event) => {
            const networks = event.target.value.split(/[,\s]+/).filter(Boolean);
            if (networks.join() !== setting.networks.join()) onChange({ ...setting, networks });
          }}
          className={`${inputLook} w-[360px]`}
        />
      </dd>
      <dt className="text-ink-2">Also by GET</dt>
      <dd>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-pine"
            checked={setting.allowsGet}
            onChange={(event) => onChange({ ...setting, allowsGet: event.target.checked })}
          />
          the parameters of the address are the event
        </label>
      </dd>
      <dt className="text-ink-2">Address</dt>
      <dd>
        <Button look="danger" onClick={() => setRenewing(true)}>
          Replace it by a new one
        </Button>
        <ConfirmDialog
          title="Replace the address?"
          isOpen={isRenewing}
          confirm="Replace it"
          onConfirm={() => {
            setRenewing(false);
            renew.mutate(undefined);
          }}
          onClose={() => setRenewing(false)}
        >
          The other app goes on posting to the old one until you change it there. It is told that the address is gone,
          and what it sends is listed here as refused.
        </ConfirmDialog>
      </dd>
    </>
  );
}
