import {
  type Afterwards,
  afterwardsOf,
  canBePutAway,
  isPlaced,
  markableFields,
  type Start,
  withAfterwards,
} from '@golden/core';
import { usePlaces, useUsual } from '../../api/queries.ts';
import { Chooser } from '../../parts/Chooser.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { DoneMark } from './DoneMark.tsx';

interface MoreProps {
  readonly start: Start;
  readonly onChange: (next: Partial<Start>) => void;
}

/** The settings that most workflows leave as they are: further places, limits, gathering, which fields. */
export function MoreOfTheStart({ start, onChange }: MoreProps) {
  const { workflow, draft } = useEditor();
  const usual = useUsual(workflow.id).data?.limit;
  const sends = draft.content.steps.some((step) => isPlaced(step) && step.target?.described.sentTo);
  return (
    <>
      <FurtherPlaces start={start} onChange={onChange} />
      <AfterwardsChoice start={start} />
      {!start.takes && (
        <>
          <dt className="text-ink-2">Our own</dt>
          <dd className="flex flex-wrap items-center gap-2">
            <span className="text-ink-2">What our workflows write there</span>
            <Select
              aria-label="What our workflows write there"
              value={start.takesOwn ? 'taken' : 'noted'}
              onChange={(event) => onChange({ takesOwn: event.target.value === 'taken' || undefined })}
              choices={[
                { value: 'noted', label: 'starts nothing, and is counted' },
                { value: 'taken', label: 'starts it like any change' },
              ]}
            />
          </dd>
        </>
      )}
      <dt className="text-ink-2">At most</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <NumberInput
          label="Records a run"
          value={start.mostPerRun}
          most={100_000}
          onChange={(mostPerRun) => onChange({ mostPerRun })}
        />
        <span className="text-ink-2">records a run; the rest come with the next. Empty means all.</span>
      </dd>
      {start.on !== 'removed' && (
        <>
          <dt className="text-ink-2">Hold above</dt>
          <dd className="flex flex-wrap items-center gap-2">
            <NumberInput
              label="Records above which a check is held"
              value={start.holdsAbove}
              most={1_000_000}
              onChange={(holdsAbove) => onChange({ holdsAbove })}
            />
            <span className="text-ink-2">
              records at once, until you have looked. Empty means far more than usual{usual ? `: ${usual} now` : ''}.
            </span>
          </dd>
        </>
      )}
      <dt className="text-ink-2">Told below</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <NumberInput
          label="Records below which somebody is told"
          value={start.tellsBelow?.records}
          most={1_000_000}
          onChange={(records) =>
            onChange({ tellsBelow: records === undefined ? undefined : { by: '12:00', ...start.tellsBelow, records } })
          }
        />
        {start.tellsBelow && (
          <>
            <span className="text-ink-2">records by</span>
            <input
              type="time"
              aria-label="By which time of a working day"
              value={start.tellsBelow.by}
              onChange={({ target }) =>
                start.tellsBelow && target.value && onChange({ tellsBelow: { ...start.tellsBelow, by: target.value } })
              }
              className={inputLook}
            />
            <span className="text-ink-2">of a working day.</span>
          </>
        )}
        {!start.tellsBelow && (
          <span className="text-ink-2">
            records of a working day. Empty means far fewer than usual on the same weekday.
          </span>
        )}
      </dd>
      <dt className="text-ink-2">Handled</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="Handled one by one or gathered"
          value={start.gather ? 'gathered' : 'live'}
          onChange={(event) =>
            onChange({ gather: event.target.value === 'gathered' ? { records: 100, minutes: 60 } : undefined })
          }
          choices={[
            { value: 'live', label: 'one by one' },
            { value: 'gathered', label: 'gathered' },
          ]}
        />
        {start.gather && (
          <>
            <span className="text-ink-2">until</span>
            <NumberInput
              label="Records gathered"
              value={start.gather.records}
              least={2}
              most={10_000}
              onChange={(records) => records && start.gather && onChange({ gather: { ...start.gather, records } })}
            />
            <span className="text-ink-2">are there, or the first has waited</span>
            <NumberInput
              label="Minutes waited"
              value={start.gather.minutes}
              most={1440}
              onChange={(minutes) => minutes && start.gather && onChange({ gather: { ...start.gather, minutes } })}
            />
            <span className="text-ink-2">minutes</span>
          </>
        )}
      </dd>
      <DoublesChoice start={start} onChange={onChange} />
      <OnceChoice start={start} onChange={onChange} />
      {sends && (
        <>
          <dt className="text-ink-2">Messages</dt>
          <dd className="flex flex-wrap items-center gap-2">
            <span className="text-ink-2">at most</span>
            <NumberInput
              label="Messages a day"
              value={start.messagesADay}
              most={100_000}
              onChange={(messagesADay) => onChange({ messagesADay })}
            />
            <span className="text-ink-2">a day; the rest go out on the days after. Empty means all.</span>
          </dd>
        </>
      )}
      <FieldsToFetch start={start} onChange={onChange} />
    </>
  );
}

/** What becomes of a record once all is done with it. */
function AfterwardsChoice({ start: { source } }: Pick<MoreProps, 'start'>) {
  const { draft } = useEditor();
  const isAsked = source !== null && canBePutAway(source.described);
  const folders = (usePlaces(isAsked ? source.connection : '', []).data ?? []).filter(
    ({ id }) => id.startsWith('folder:') && id !== source?.path[0],
  );
  if (!source || (!isAsked && markableFields(source.described).length === 0)) return null;
  if (!isAsked)
    return (
      <>
        <dt className="text-ink-2">Afterwards</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <DoneMark />
        </dd>
      </>
    );
  const now = afterwardsOf(draft.content);
  const say = (choice: Afterwards): void => draft.change((content) => withAfterwards(content, choice));
  const nameOf = (id: string): string => id.slice('folder:'.length);
  const value = now.kind === 'move' ? `folder:${now.folder}` : now.kind;
  const isGone = now.kind === 'move' && !folders.some(({ id }) => id === value);
  return (
    <>
      <dt className="text-ink-2">Afterwards</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="What becomes of a mail afterwards"
          value={value}
          onChange={({ target }) =>
            say(
              target.value === 'leave' || target.value === 'read'
                ? { kind: target.value }
                : { kind: 'move', folder: nameOf(target.value) },
            )
          }
          choices={[
            { value: 'leave', label: 'it stays as it is' },
            { value: 'read', label: 'it is marked as read' },
            ...folders.map(({ id, label }) => ({ value: id, label: `it is moved into ${label}` })),
            ...(isGone ? [{ value, label: `it is moved into ${now.folder}` }] : []),
          ]}
        />
        <span className="text-ink-2">once all other sentences are done with it.</span>
      </dd>
    </>
  );
}

type Treat = NonNullable<Start['doubles']>['treat'];

/** Two records of one run that are the same person or firm, and what is made of them. */
function DoublesChoice({ start, onChange }: MoreProps) {
  const fields = (start.source?.described.fields ?? []).filter(
    (field) => ['email', 'phone', 'text', 'any', 'integer'].includes(field.type) && !field.fields,
  );
  const mail = fields.find((field) => field.type === 'email') ?? fields[0];
  const { doubles } = start;
  const open = fields.filter((field) => !doubles?.by.includes(field.path));
  return (
    <>
      <dt className="text-ink-2">The same twice</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="Two records of one run that are the same"
          value={doubles?.treat ?? 'each'}
          onChange={(event) => {
            const treat = event.target.value;
            if (treat === 'each' || !mail) onChange({ doubles: undefined });
            else onChange({ doubles: { by: doubles?.by ?? [mail.path], treat: treat as Treat } });
          }}
          choices={[
            { value: 'each', label: 'each record on its own' },
            { value: 'golden', label: 'merged into one golden record' },
            { value: 'first', label: 'only the first of a run' },
            { value: 'ask', label: 'ask me' },
          ]}
        />
        {doubles && (
          <>
            <span className="text-ink-2">when two of a run have the same</span>
            {doubles.by.map((path, at) => (
              <button
                key={path}
                type="button"
                data-hint="Remove it"
                disabled={doubles.by.length === 1}
                onClick={() => onChange({ doubles: { ...doubles, by: doubles.by.filter((one) => one !== path) } })}
                className="underlined min-h-6"
              >
                {at > 0 && <span className="text-ink-2 no-underline">or </span>}
                {fields.find((field) => field.path === path)?.label ?? path.slice(1)}
              </button>
            ))}
            {open.length > 0 && doubles.by.length < 6 && (
              <Chooser
                aria-label="Or the same in another field"
                value=""
                placeholder="or…"
                onChoose={(path) => onChange({ doubles: { ...doubles, by: [...doubles.by, path] } })}
                choices={open.map((field) => ({ value: field.path, label: field.label }))}
              />
            )}
          </>
        )}
      </dd>
    </>
  );
}

/** Whether somebody can be in it by several records at once. */
function OnceChoice({ start, onChange }: MoreProps) {
  const { steps } = useEditor().draft.content;
  const takesTime = steps.some((step) => step.kind === 'wait' || (isPlaced(step) && step.target?.described.sentTo));
  if (!takesTime && start.once === undefined) return null;
  const fields = (start.source?.described.fields ?? []).filter(({ type }) => ['email', 'phone', 'id'].includes(type));
  const isGone = start.once !== undefined && !fields.some(({ path }) => path === start.once);
  return (
    <>
      <dt className="text-ink-2">One person</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="Whether a person can be in it more than once"
          value={start.once ?? ''}
          onChange={({ target }) => onChange({ once: target.value || undefined })}
          choices={[
            { value: '', label: 'may be in it by several records' },
            ...fields.map(({ path, label }) => ({ value: path, label: `is in it once at a time, known by ${label}` })),
            ...(isGone ? [{ value: start.once ?? '', label: 'is in it once, by a field that is gone' }] : []),
          ]}
        />
        {start.once !== undefined && (
          <span className="text-ink-2">
            Who waits in it, or was sent something, isn’t taken in again until it ends.
          </span>
        )}
      </dd>
    </>
  );
}

interface NumberProps {
  readonly label: string;
  readonly value: number | undefined;
  readonly least?: number;
  readonly most: number;
  readonly onChange: (value: number | undefined) => void;
}

function NumberInput({ label, value, least = 1, most, onChange }: NumberProps) {
  return (
    <input
      type="number"
      aria-label={label}
      min={least}
      max={most}
      value={value ?? ''}
      onChange={(event) => {
        const given = Number(event.target.value);
        if (event.target.value === '') onChange(undefined);
        else if (Number.isInteger(given) && given >= least && given <= most) onChange(given);
      }}
      className={`${inputLook} w-[92px]`}
    />
  );
}

/** This place alone, some of those beside it, or all that are there and will be. */
function FurtherPlaces({ start, onChange }: MoreProps) {
  const above = start.source?.path.slice(0, -1) ?? [];
  const beside = usePlaces(start.source?.connection ?? '', above).data ?? [];
  const others = beside.filter((one) => one.isPlace && one.id !== start.source?.path.at(-1));
  // Where it stands alone others may come. An event tells of a record of one place.
  if (above.length === 0 || start.trigger.kind === 'event') return null;
  const chosen = start.also?.kind === 'some' ? start.also.places : [];
  const pick = (id: string, label: string, isOn: boolean): void => {
    const rest = chosen.filter((place) => place.path.at(-1) !== id);
    const place = { path: [...above, id], labels: [...(start.source?.labels.slice(0, -1) ?? []), label] };
    onChange({ also: { kind: 'some', places: isOn ? [...rest, place] : rest } });
  };
  return (
    <>
      <dt className="self-start pt-1 text-ink-2">Places</dt>
      <dd>
        <Select
          aria-label="Which places"
          value={start.also?.kind ?? 'this'}
          onChange={(event) => {
            const kind = event.target.value;
            onChange({
              also: kind === 'all' ? { kind: 'all' } : kind === 'some' ? { kind: 'some', places: [] } : undefined,
            });
          }}
          choices={[
            { value: 'this', label: 'only this one' },
            ...(others.length > 0 || start.also?.kind === 'some'
              ? [{ value: 'some', label: 'this one and some beside it' }]
              : []),
            { value: 'all', label: 'all beside it, now and later' },
          ]}
        />
        {start.also?.kind === 'some' && (
          <ul className="mt-1.5 flex flex-wrap gap-x-4 gap-y-1">
            {others.map((one) => (
              <li key={one.id}>
                <label className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    checked={chosen.some((place) => place.path.at(-1) === one.id)}
                    onChange={(event) => pick(one.id, one.label, event.target.checked)}
                    className="accent-pine"
                  />
                  {one.label}
                </label>
              </li>
            ))}
          </ul>
        )}
      </dd>
    </>
  );
}

/** Only what is ticked is fetched, seen and compared for changes. */
function FieldsToFetch({ start, onChange }: MoreProps) {
  const fields = (start.source?.described.fields ?? []).filter((field) => !(field.type === 'id' && field.readOnly));
  const picked = start.fields;
  return (
    <>
      <dt className="self-start pt-1 text-ink-2">Fields to fetch</dt>
      <dd>
        <Select
          aria-label="Fields to fetch"
          value={picked ? 'some' : 'all'}
          onChange={(event) =>
            onChange({ fields: event.target.value === 'all' ? undefined : fields.map((field) => field.path) })
          }
          choices={[
            { value: 'all', label: 'all of them' },
            { value: 'some', label: 'only those ticked' },
          ]}
        />
        {picked && (
          <>
            <span className="ml-2 text-ink-2">A change in any other field starts nothing.</span>
            <ul className="mt-1.5 grid max-h-[180px] grid-cols-[repeat(auto-fill,minmax(180px,1fr))] gap-x-4 gap-y-0.5 overflow-y-auto">
              {fields.map((field) => (
                <li key={field.path}>
                  <label className="flex items-center gap-1.5">
                    <input
                      type="checkbox"
                      checked={picked.includes(field.path)}
                      onChange={(event) =>
                        onChange({
                          fields: event.target.checked
                            ? [...picked, field.path]
                            : picked.filter((path) => path !== field.path),
                        })
                      }
                      className="accent-pine"
                    />
                    <span className="truncate">{field.label}</span>
                  </label>
                </li>
              ))}
            </ul>
          </>
        )}
      </dd>
    </>
  );
}
