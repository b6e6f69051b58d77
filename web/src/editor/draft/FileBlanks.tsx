import { Check, CircleAlert } from 'lucide-react';
import { useState } from 'react';
import { type FileLook, type PlaceLook, useApps, useConnections, usePlacesOfFile } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { SelectField, TextField } from '../../parts/Field.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import type { ChosenPlace } from '../place/chosen-place.ts';
import { Places } from '../place/PlacePicker.tsx';

interface PlacesProps {
  readonly text: string;
  /** The connection here, by the one in the file. */
  readonly by: Readonly<Record<string, string>>;
  readonly chosen: Readonly<Record<string, ChosenPlace>>;
  readonly onChoose: (key: string, place: ChosenPlace | undefined) => void;
}

/** The places that a file names: those that are there, and those to be chosen. */
export function PlacesToChoose({ text, by, chosen, onChoose }: PlacesProps) {
  const { data: places = [], error } = usePlacesOfFile(text, by);
  if (error) return <ProblemMessage>{error.message}</ProblemMessage>;
  if (places.length === 0) return null;
  return (
    <section aria-label="Places" className="mt-4">
      <h3 className="mb-1 font-sans font-semibold">Where it reads and writes</h3>
      <ul className="space-y-2">
        {places.map((place) => (
          <li key={place.key}>
            <PlaceBlank
              place={place}
              connection={by[place.connection]}
              chosen={chosen[place.key]}
              onChoose={(other) => onChoose(place.key, other)}
            />
          </li>
        ))}
      </ul>
    </section>
  );
}

interface PlaceBlankProps {
  readonly place: PlaceLook;
  readonly connection: string | undefined;
  readonly chosen: ChosenPlace | undefined;
  readonly onChoose: (place: ChosenPlace | undefined) => void;
}

function PlaceBlank({ place, connection: id, chosen, onChoose }: PlaceBlankProps) {
  const connection = (useConnections().data ?? []).find((one) => one.id === id);
  const app = (useApps().data ?? []).find((one) => one.id === connection?.app);
  const [isChoosing, setChoosing] = useState(false);
  const label = place.labels.join(' → ');
  // A place of another connection than the one chosen now is none of this one's.
  const other = chosen?.connection === id ? chosen : undefined;
  return (
    <div>
      <div className="flex flex-wrap items-baseline gap-x-2">
        <span className="text-sm text-ink-2">{place.purpose === 'from' ? 'Reads' : 'Writes to'}</span>
        <span className={other ? 'text-ink-2 line-through' : 'font-medium'}>{label}</span>
        {other && <span className="font-medium">{other.labels.join(' → ')}</span>}
        <PlaceState isThere={other ? true : place.isThere} />
        {connection && (
          <Button look="quiet" className="ml-auto" aria-expanded={isChoosing} onClick={() => setChoosing(!isChoosing)}>
            {other || place.isThere ? 'Choose another' : 'Choose one'}
          </Button>
        )}
      </div>
      {!other && place.differences.length > 0 && (
        <ul className="pl-3 text-sm text-ink-2">
          {place.differences.map((one) => (
            <li key={one}>{one}</li>
          ))}
        </ul>
      )}
      {isChoosing && connection && (
        <div className="mt-1 rounded-md border border-line-1 p-2">
          {other && (
            <Button look="quiet" onClick={() => onChoose(undefined)}>
              Take “{label}” after all
            </Button>
          )}
          <Places
            connection={connection}
            app={app}
            purpose={place.purpose}
            columns={[]}
            onChoose={(path, labels) => {
              setChoosing(false);
              onChoose({ connection: connection.id, path: [...path], labels: [...labels] });
            }}
          />
        </div>
      )}
    </div>
  );
}

function PlaceState({ isThere }: { readonly isThere: boolean | null }) {
  if (isThere === null) return <span className="text-sm text-ink-2">choose its connection first</span>;
  return isThere ? (
    <span className="text-sm text-pine">
      <Check size={14} className="mr-1 inline" aria-hidden="true" />
      is there
    </span>
  ) : (
    <span className="text-sm text-brick">
      <CircleAlert size={14} className="mr-1 inline" aria-hidden="true" />
      isn’t there
    </span>
  );
}

interface TextsProps {
  readonly blanks: FileLook['blanks'];
  /** True where the file holds several workflows: each blank says then whose it is. */
  readonly isMany: boolean;
  readonly texts: Readonly<Record<string, string>>;
  readonly onSay: (key: string, text: string) => void;
}

/** The texts and options that the maker has left to each business. */
export function TextsToSay({ blanks, isMany, texts, onSay }: TextsProps) {
  if (blanks.length === 0) return null;
  return (
    <section aria-label="For you to say" className="mt-4">
      <h3 className="mb-1 font-sans font-semibold">For you to say</h3>
      <div className="space-y-3">
        {blanks.map(({ key, label, help, options, workflow }) => {
          const hint = [help, isMany && `In “${workflow}”.`].filter(Boolean).join(' ');
          const value = texts[key] ?? '';
          return options ? (
            <SelectField
              key={key}
              label={label}
              hint={hint}
              value={value}
              choices={options}
              onChange={(event) => onSay(key, event.target.value)}
            />
          ) : (
            <TextField
              key={key}
              label={label}
              hint={hint}
              maxLength={400}
              value={value}
              onChange={(event) => onSay(key, event.target.value)}
            />
          );
        })}
      </div>
    </section>
  );
}
