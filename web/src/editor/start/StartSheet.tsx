import {
  arrivalEvent,
  comesByItself,
  type Field,
  type Place,
  type Start,
  type StartEvent,
  type TriggerKind,
  takesFiles,
  triggerKinds,
  type WorkflowContent,
} from '@golden/core';
import { ChevronDown, ChevronRight, Plug } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { EmptyState } from '../../parts/Messages.tsx';
import { AnotherStartButton } from '../beginning/AnotherStart.tsx';
import { BeginningSheet } from '../beginning/BeginningSheet.tsx';
import { DoorSheet } from '../door/DoorSheet.tsx';
import { TellingSheet } from '../door/TellingSheet.tsx';
import { useEditor } from '../draft/context.tsx';
import { DriftNote } from '../draft/DriftNote.tsx';
import { withStart } from '../draft/edits.ts';
import { SheetHead } from '../draft/SheetHead.tsx';
import { FileSheet } from '../files/FileSheet.tsx';
import { FormSheet } from '../form/FormSheet.tsx';
import { MailDoorSheet } from '../mail-door/MailDoorSheet.tsx';
import { inboxApp } from '../place/chosen-place.ts';
import { PlaceChooser } from '../place/PlaceChooser.tsx';
import { SwapDrawer } from '../place/SwapDrawer.tsx';
import { useFieldProfile } from '../samples/occurring.ts';
import { SamplesAndFields } from '../samples/SamplesAndFields.tsx';
import { FromWhenChoice } from './FromWhenChoice.tsx';
import { MoreOfTheStart } from './MoreOfTheStart.tsx';
import { TriggerChoice } from './TriggerChoice.tsx';
import { WhereTo } from './WhereTo.tsx';

/** What brings a record in; “added” is offered twice, with and without waiting for one that doesn't fit yet. */
const events: readonly { readonly value: StartEvent | 'fits'; readonly label: string }[] = [
  { value: 'fits', label: 'is added, as soon as it meets the conditions' },
  { value: 'added', label: 'is added, checked only once' },
  { value: 'added_or_changed', label: 'is added or changed' },
  { value: 'becomes', label: 'gets a certain value' },
  { value: 'removed', label: 'is removed' },
];

interface StartProps {
  /** Chooses another sentence of the brief. */
  readonly onChoose: (sentence: string) => void;
}

/** The start's worksheet: where from, what, how often, from when; its samples and fields. */
export function StartSheet({ onChoose }: StartProps) {
  const { draft, connections, workflow } = useEditor();
  const { start } = draft.content;
  const [isMore, setMore] = useState(false);
  const [isSwapping, setSwapping] = useState(false);
  const change = (next: Partial<Start>): void => draft.change(withStart(next));
  const tell = useAction(async () => {
    await draft.flush();
    const { inbox } = await call('POST /api/workflows/:id/telling', { params: { id: workflow.id } });
    const trigger = { kind: 'event' as const, event: arrivalEvent(inbox), alsoEvery: 1440, tells: { id: '' } };
    change({ trigger, takes: undefined });
  });
  const isInbox = ({ connection }: Place): boolean => connections.find(({ id }) => id === connection)?.app === inboxApp;
  const isPosted = comesByItself(start);
  const fields = start.source?.described.fields ?? [];
  const hasIds = start.source ? fields.some((field) => field.type === 'id' && field.readOnly) : true;
  const chooseEvent = (chosen: StartEvent | 'fits'): void => {
    const on = chosen === 'fits' ? 'added' : chosen;
    change({
      on,
      waitsToFit: chosen === 'fits' ? true : undefined,
      ...(on === 'becomes' && !start.becomes && { becomes: { path: likelyState(fields) ?? '', value: '' } }),
      ...(on === 'removed' && { fromWhen: { kind: 'now' } }),
    });
  };
  return (
    <>
      <SheetHead title="What starts it">
        {!isPosted && <AnotherStartButton className="ml-auto" />}
        {start.source && !isPosted && (
          <Button
            look="quiet"
            className={start.source ? '' : 'ml-auto'}
            icon={<Plug size={14} strokeWidth={1.75} />}
            onClick={() => setSwapping(true)}
          >
            Swap connection
          </Button>
        )}
      </SheetHead>
      <WhereTo onMade={onChoose} />
      <DriftNote sentence="start" />
      <div className="min-h-0 flex-1 overflow-auto">
        <dl className="grid grid-cols-[128px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4 empty:hidden">
          {!isPosted && <dt className="text-ink-2">Records from</dt>}
          {!isPosted && (
            <dd>
              <PlaceChooser
                purpose="from"
                place={start.source}
                connections={connections}
                onChoose={(source) =>
                  change({
                    source,
                    identity: undefined,
                    also: undefined,
                    fields: undefined,
                    becomes: undefined,
                    ...triggerFor(start, isInbox(source)),
                  })
                }
              />
            </dd>
          )}
          {start.source && !isPosted && (
            <>
              <dt className="text-ink-2">When one</dt>
              <dd className="flex flex-wrap items-center gap-2">
                <Select
                  aria-label="When a record"
                  value={start.on === 'added' && start.waitsToFit ? 'fits' : start.on}
                  onChange={(event) => chooseEvent(event.target.value as StartEvent | 'fits')}
                  choices={[...events]}
                />
                {start.on === 'becomes' && <Becomes start={start} onChange={change} />}
                <Button
                  look="quiet"
                  aria-expanded={isMore}
                  icon={isMore ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
                  onClick={() => setMore(!isMore)}
                >
                  More settings
                </Button>
                {start.on === 'added' && <p className="w-full text-sm text-ink-2">{addedMeans(start)}</p>}
              </dd>
              <dt className="self-start pt-1 text-ink-2">Checked</dt>
              <dd>
                <TriggerChoice
                  trigger={start.trigger}
                  onChange={(trigger) => (trigger.kind === 'event' ? tell.mutate(undefined) : change({ trigger }))}
                  without={notOffered(start)}
                />
                {start.trigger.kind !== 'event' && (
                  <Taken start={start} isAppended={appends(draft.content)} onChange={change} />
                )}
              </dd>
              {!hasIds && (
                <>
                  <dt className="text-ink-2">Recognised by</dt>
                  <dd>
                    <Chooser
                      aria-label="The field that identifies a record"
                      value={start.identity ?? ''}
                      placeholder="Choose a field"
                      onChoose={(identity) => change({ identity })}
                      choices={fields.map((field) => ({ value: field.path, label: field.label }))}
                    />
                  </dd>
                </>
              )}
              {isMore && <MoreOfTheStart start={start} onChange={change} />}
              {start.on !== 'removed' && (
                <>
                  <dt className="self-start pt-1 text-ink-2">From when</dt>
                  <dd>
                    <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => change({ fromWhen })} />
                  </dd>
                </>
              )}
            </>
          )}
        </dl>
        {start.source && !isPosted && start.trigger.kind === 'event' && (
          <TellingSheet source={start.source} trigger={start.trigger} onChange={(trigger) => change({ trigger })} />
        )}
        {start.source && isPosted && <OwnStart start={start} source={start.source} onChange={change} />}
        {start.source ? (
          <SamplesAndFields />
        ) : (
          <div className="px-5">
            <EmptyState title="Choose where the records come from.">
              Choose an app above, or connect one. Its records then appear here as samples. Or start in another way: by
              a posted event, a mail, a file, a button, a time.
            </EmptyState>
          </div>
        )}
      </div>
      {start.source && (
        <SwapDrawer connectionId={start.source.connection} isOpen={isSwapping} onClose={() => setSwapping(false)} />
      )}
    </>
  );
}

/** An event tells of one record of one place, and of none that is gone. */
const notOffered = ({ on, also }: Start): readonly TriggerKind[] => (on === 'removed' || also ? ['event'] : []);

/** A start that asks no app, by its kind. */
function OwnStart(props: {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}) {
  if (takesFiles(props.start)) return <FileSheet {...props} />;
  const { singular } = props.source.described;
  if (singular === 'mail') return <MailDoorSheet {...props} />;
  if (singular === 'submission') return <FormSheet {...props} />;
  return singular === 'event' ? <DoorSheet {...props} /> : <BeginningSheet {...props} />;
}

const appends = ({ steps }: WorkflowContent): boolean =>
  steps.some((step) => step.kind === 'write' && step.mode === 'append');

interface TakenProps {
  readonly start: Start;
  readonly isAppended: boolean;
  readonly onChange: (next: Partial<Start>) => void;
}

/** What is taken in at a time: what is new, or all that is there. */
function Taken({ start, isAppended, onChange }: TakenProps) {
  if (start.on === 'removed' || (start.trigger.kind === 'every' && !start.takes)) return null;
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2">
      <span className="text-ink-2">and takes in</span>
      <Select
        aria-label="What is taken in at a time"
        value={start.takes ?? 'new'}
        onChange={(event) => onChange({ takes: event.target.value === 'everything' ? 'everything' : undefined })}
        choices={[
          { value: 'new', label: 'what is new since the last time' },
          { value: 'everything', label: 'everything, each time' },
        ]}
      />
      {start.takes && isAppended && (
        <span className="text-sm text-brass">
          Each time appends every record again. To write them once, choose “create or update” at the write.
        </span>
      )}
    </div>
  );
}

/** What comes by itself is looked at when it comes; what is listed is asked for. */
function triggerFor({ trigger }: Start, isTold: boolean): Partial<Start> {
  if (isTold) return { trigger: triggerKinds.event.make(), on: 'added', waitsToFit: undefined };
  return trigger.kind === 'event' ? { trigger: triggerKinds.every.make() } : {};
}

/** What becomes of a record that a condition leaves out. */
const addedMeans = ({ waitsToFit }: Start): string =>
  waitsToFit
    ? 'A record that a condition leaves out is taken in the first time it meets the conditions. Records from before the start are not.'
    : 'Each record is checked once, as it was when it was added.';

/** The field that says how far a record has come, by its name or its few options. */
function likelyState(fields: readonly Field[]): string | undefined {
  return (
    fields.find((field) => /status|state|stage/i.test(field.label)) ?? fields.find((field) => field.type === 'choice')
  )?.path;
}

interface BecomesProps {
  readonly start: Start;
  readonly onChange: (next: Partial<Start>) => void;
}

/** Which field, and the value it has to come to; the values that occur are offered. */
function Becomes({ start, onChange }: BecomesProps) {
  const fields = start.source?.described.fields ?? [];
  const { path = '', value = '' } = start.becomes ?? {};
  const occurring = useFieldProfile({ step: 'start', path })?.frequent ?? [];
  return (
    <>
      <span className="text-ink-2">: its</span>
      <Chooser
        aria-label="The field that gets a certain value"
        value={path}
        placeholder="Choose a field"
        onChoose={(chosen) => onChange({ becomes: { path: chosen, value: '' } })}
        choices={fields.filter((field) => !field.readOnly).map((field) => ({ value: field.path, label: field.label }))}
      />
      <span className="text-ink-2">becomes</span>
      <input
        aria-label="The value it becomes"
        list="becomes-values"
        value={value}
        onChange={(event) => onChange({ becomes: { path, value: event.target.value } })}
        className={`${inputLook} w-[140px]`}
      />
      <datalist id="becomes-values">
        {occurring.map((one) => (
          <option key={one.value} value={one.value}>{`${one.count} samples`}</option>
        ))}
      </datalist>
    </>
  );
}
