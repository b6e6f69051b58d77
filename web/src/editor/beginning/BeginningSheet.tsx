import { emptyContent, type Place, type Start } from '@golden/core';
import { Button } from '../../parts/Button.tsx';
import { useEditor } from '../draft/context.tsx';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';
import { TriggerChoice } from '../start/TriggerChoice.tsx';
import { TypeInButton } from './BeginDialog.tsx';
import { HandedBeginning } from './HandedBeginning.tsx';

interface SheetProps {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A start by hand, at a time, or after another workflow. */
export function BeginningSheet({ start, source, onChange }: SheetProps) {
  const { draft, workflow } = useEditor();
  const { trigger } = start;
  const { fields, plural } = source.described;
  if (trigger.kind === 'handed')
    return <HandedBeginning key={JSON.stringify(fields)} source={source} onChange={onChange} />;
  const asked = fields.filter((field) => !field.readOnly);
  return (
    <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
      <dt className="text-ink-2">{trigger.kind === 'event' ? 'Begins after' : 'Begins for'}</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <strong className="font-medium">{source.labels.at(-1)}</strong>
        {trigger.kind === 'event' && (
          <span className="text-ink-2">
            {plural === 'ended runs' ? '– once for each run of it' : '– once for each record that it delivers'}
          </span>
        )}
        <Button look="quiet" className="ml-auto" onClick={() => onChange({ ...emptyContent('').start })}>
          Take records from an app instead
        </Button>
      </dd>
      {trigger.kind === 'hand' && (
        <>
          <dt className="text-ink-2">Asks for</dt>
          <dd>
            {asked.length > 0 ? asked.map((field) => field.label).join(', ') : 'nothing: the button alone begins it'}
          </dd>
          <dt className="text-ink-2">Samples</dt>
          <dd>
            <TypeInButton id={workflow.id} name={draft.content.name} />
          </dd>
          <dt className="text-ink-2">The button</dt>
          <dd className="text-ink-2">stands on Today and under Runs, as soon as it is live.</dd>
        </>
      )}
      {trigger.kind !== 'hand' && trigger.kind !== 'event' && (
        <>
          <dt className="self-start pt-1 text-ink-2">When</dt>
          <dd>
            <TriggerChoice
              trigger={trigger}
              onChange={(next) => onChange({ trigger: next })}
              without={['hand', 'event']}
            />
          </dd>
        </>
      )}
      {trigger.kind === 'event' && (
        <>
          <dt className="self-start pt-1 text-ink-2">From when</dt>
          <dd>
            <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => onChange({ fromWhen })} />
          </dd>
        </>
      )}
    </dl>
  );
}
