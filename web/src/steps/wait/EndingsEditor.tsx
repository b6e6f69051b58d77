import {
  type Ending,
  isBySender,
  isOfTheRecord,
  likelySame,
  mostEndings,
  type NamedField,
  newEndingId,
  type Place,
  refKey,
  type WaitStep,
} from '@golden/core';
import { Plus, X } from 'lucide-react';
import { useEditor } from '../../editor/draft/context.tsx';
import { useNames } from '../../editor/draft/use-names.ts';
import { PlaceChooser } from '../../editor/place/PlaceChooser.tsx';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';

interface EndingsProps {
  readonly step: WaitStep;
  readonly onChange: (endings: Ending[]) => void;
}

/** Which records elsewhere end a wait before its time, such as a booking with the same e-mail address. */
export function EndingsEditor({ step, onChange }: EndingsProps) {
  const endings = step.endings ?? [];
  // What the business says of itself is the same for every record, and ends the wait of none.
  const names = useNames(step.id).filter(({ known }) => !known.isInList && isOfTheRecord(known.ref));
  const put = (next: Ending): void => onChange(endings.map((one) => (one.id === next.id ? next : one)));
  const add = (): void => {
    onChange([...endings, { id: newEndingId(endings), place: null, there: null, here: null, does: 'stops' }]);
  };
  return (
    <section aria-label="Ended early" className="mt-5 mb-6 max-w-[720px]">
      <h3 className="mb-1 font-medium">Ended early</h3>
      <p className="mb-3 text-ink-2">
        By you, by the record’s stop link or continue link, and by what comes elsewhere. It counts for the waits after
        this one too.
      </p>
      <ul className="mb-3 space-y-3">
        {endings.map((ending, at) => (
          <li key={ending.id} className="rounded-md border border-line-1 px-3 py-2.5">
            <OneEnding
              ending={ending}
              label={`Ending ${at + 1}`}
              names={names}
              onChange={put}
              onRemove={() => onChange(endings.filter((one) => one.id !== ending.id))}
            />
          </li>
        ))}
      </ul>
      <Button
        look="quiet"
        icon={<Plus size={14} strokeWidth={1.75} />}
        onClick={add}
        disabled={endings.length >= mostEndings}
      >
        End it when something comes elsewhere
      </Button>
    </section>
  );
}

interface OneProps {
  readonly ending: Ending;
  readonly label: string;
  readonly names: readonly NamedField[];
  readonly onChange: (ending: Ending) => void;
  readonly onRemove: () => void;
}

function OneEnding({ ending, label, names, onChange, onRemove }: OneProps) {
  const { connections } = useEditor();
  const { place, there, here, value, does } = ending;
  const fields = place?.described.fields.filter(({ type }) => type !== 'list') ?? [];
  const fieldChoices = fields.map((field) => ({ value: field.path, label: field.label }));
  const choose = (next: Place): void => {
    const isSame = place?.connection === next.connection && place.path.join() === next.path.join();
    if (isSame) {
      onChange({ ...ending, place: next });
      return;
    }
    const nextFields = next.described.fields.filter(({ type }) => type !== 'list');
    const [thereAt, hereAt] = likelySame(
      nextFields,
      names.map(({ known }) => known),
    );
    const { value: _value, ...rest } = ending;
    const { answers } = next.described;
    onChange({
      ...rest,
      place: next,
      // An automatic answer is none.
      ...(answers && { value: answers.byPerson }),
      there: nextFields[thereAt]?.path ?? null,
      here: names[hereAt]?.known.ref ?? null,
    });
  };
  const line = 'flex flex-wrap items-center gap-2';
  return (
    <fieldset className="space-y-2" aria-label={label}>
      <div className={`${line} justify-between`}>
        <span className={line}>
          <span className="text-ink-2">When something comes in</span>
          <PlaceChooser purpose="from" place={place} connections={connections} onChoose={choose} />
        </span>
        <Button look="quiet" aria-label={`Remove ${label.toLowerCase()}`} onClick={onRemove}>
          <X size={14} strokeWidth={1.75} />
        </Button>
      </div>
      {place && (
        <>
          <div className={line}>
            <span className="text-ink-2">whose</span>
            <Select
              aria-label="Field there"
              value={there ?? ''}
              onChange={({ target }) => onChange({ ...ending, there: target.value || null })}
              choices={[{ value: '', label: 'choose a field' }, ...fieldChoices]}
            />
            <span className="text-ink-2">is the same as this record’s</span>
            <Select
              aria-label="Field here"
              value={here ? refKey(here) : ''}
              onChange={({ target }) =>
                onChange({
                  ...ending,
                  here: names.find(({ known }) => refKey(known.ref) === target.value)?.known.ref ?? null,
                })
              }
              choices={[
                { value: '', label: 'choose a field' },
                ...names.map(({ name, known }) => ({ value: refKey(known.ref), label: name })),
              ]}
            />
            {isBySender(ending) && <span className="text-ink-2">or that answers a mail sent to it before</span>}
          </div>
          <div className={line}>
            <span className="text-ink-2">and</span>
            <Select
              aria-label="Field with a value"
              value={value?.path ?? ''}
              onChange={({ target }) => {
                const { value: before, ...rest } = ending;
                onChange(target.value ? { ...rest, value: { path: target.value, is: before?.is ?? '' } } : rest);
              }}
              choices={[{ value: '', label: 'nothing else has to fit' }, ...fieldChoices]}
            />
            {value && (
              <ValueInput
                value={value}
                place={place}
                onChange={(is) => onChange({ ...ending, value: { ...value, is } })}
              />
            )}
          </div>
          <div className={line}>
            <span className="text-ink-2">then</span>
            <Select
              aria-label="What happens then"
              value={does}
              onChange={({ target }) => onChange({ ...ending, does: target.value as Ending['does'] })}
              choices={[
                { value: 'stops', label: 'nothing more is done' },
                { value: 'goes_on', label: 'it goes on at once' },
              ]}
            />
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-pine"
                checked={ending.countsEarlier === true}
                onChange={({ target }) => {
                  const { countsEarlier: _before, ...rest } = ending;
                  onChange(target.checked ? { ...rest, countsEarlier: true } : rest);
                }}
              />
              also one that was there before
            </label>
          </div>
        </>
      )}
    </fieldset>
  );
}

interface ValueProps {
  readonly value: NonNullable<Ending['value']>;
  readonly place: Place;
  readonly onChange: (is: string) => void;
}

/** The value of a field that has to be reached: chosen where the field has options. */
function ValueInput({ value, place, onChange }: ValueProps) {
  const options = place.described.fields.find(({ path }) => path === value.path)?.options;
  return (
    <>
      <span className="text-ink-2">is</span>
      {options ? (
        <Select
          aria-label="Value"
          value={value.is}
          onChange={({ target }) => onChange(target.value)}
          choices={[{ value: '', label: 'choose' }, ...options.map((one) => ({ value: one.value, label: one.label }))]}
        />
      ) : (
        <input
          aria-label="Value"
          className={inputLook}
          value={value.is}
          onChange={({ target }) => onChange(target.value)}
        />
      )}
    </>
  );
}
