import { ChevronRight, FilePlus2, Plug, TriangleAlert } from 'lucide-react';
import { useEffect, useState } from 'react';
import { type App, type Connection, type PlaceChoice, useApps, usePlaces } from '../../api/queries.ts';
import { AddTemplate } from '../../parts/AddTemplate.tsx';
import { Button } from '../../parts/Button.tsx';
import { counted } from '../../parts/formats.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { MakePage } from '../document/page/MakePage.tsx';
import type { PageSource } from '../document/page/PageDialog.tsx';
import { ConnectDrawer } from './ConnectDrawer.tsx';
import { type ChosenPlace, ownApps } from './chosen-place.ts';
import { MakePlaceDrawer } from './MakePlaceDrawer.tsx';
import { PlacePreview } from './PlacePreview.tsx';

interface PickerProps {
  readonly purpose: 'from' | 'to';
  readonly connections: readonly Connection[];
  readonly chosen: ChosenPlace | undefined;
  /** Column names for a new place: what the source holds. */
  readonly columns: readonly string[];
  /** What is taken in, where that is known: a page that is made here begins with it. */
  readonly source?: PageSource | undefined;
  readonly onChoose: (place: ChosenPlace | undefined) => void;
}

/** App, then place: each as a list that says what it is, how much it holds, and shows its first rows. */
export function PlacePicker({ purpose, connections, chosen, columns, source, onChoose }: PickerProps) {
  const apps = useApps().data ?? [];
  const [connection, setConnection] = useState<Connection>();
  const [connecting, setConnecting] = useState<App>();
  if (chosen) {
    const name = connections.find((one) => one.id === chosen.connection)?.name ?? 'a connection that is gone';
    return (
      <div>
        <p className="flex flex-wrap items-center gap-2 text-md">
          <strong className="font-semibold">{name}</strong>
          {chosen.labels.map((label) => (
            <span key={label} className="flex items-center gap-2">
              <ChevronRight size={14} className="text-ink-2" aria-hidden="true" />
              {label}
            </span>
          ))}
          <Button look="quiet" onClick={() => onChoose(undefined)}>
            Change
          </Button>
        </p>
        <PlacePreview place={chosen} purpose={purpose} />
      </div>
    );
  }
  if (connection) {
    return (
      <Places
        connection={connection}
        app={apps.find((one) => one.id === connection.app)}
        purpose={purpose}
        columns={columns}
        source={source}
        onBack={() => setConnection(undefined)}
        onChoose={(path, labels) => onChoose({ connection: connection.id, path: [...path], labels: [...labels] })}
      />
    );
  }
  // One folder is connected already as often as not, and another one is meant.
  const mayBe = (id: string): boolean =>
    !ownApps.includes(id) && (purpose === 'to' || apps.find((app) => app.id === id)?.takesTemplates !== true);
  const open = apps
    .filter((app) => mayBe(app.id))
    .filter((app) => app.id === 'folder' || !connections.some((one) => one.app === app.id));
  const word = purpose === 'from' ? 'From' : 'To';
  return (
    <>
      <ul aria-label={`${word} which app`} className="overflow-hidden rounded-md border border-line-1 bg-sheet">
        {connections
          .filter(({ app }) => mayBe(app))
          .map((one) => (
            <li key={one.id} className="border-b border-line-2 last:border-b-0">
              <button
                type="button"
                onClick={() => setConnection(one)}
                className="flex w-full items-baseline gap-2 px-3 py-2 text-left hover:bg-pine-faint"
              >
                <span className="font-medium">{one.name}</span>
                <span className="truncate text-sm text-ink-2">
                  {one.status === 'broken' ? 'doesn’t work' : (one.health?.signedInAs ?? one.appTitle)}
                </span>
                {one.status === 'broken' && <TriangleAlert size={14} className="text-brick" aria-hidden="true" />}
              </button>
            </li>
          ))}
        {open.map((app) => (
          <li key={app.id} className="border-b border-line-2 last:border-b-0">
            <button
              type="button"
              onClick={() => setConnecting(app)}
              className="flex w-full items-center gap-2 px-3 py-2 text-left hover:bg-pine-faint"
            >
              <span>{app.title}</span>
              <span className="truncate text-sm text-ink-2">{app.holds}</span>
              <span className="ml-auto flex items-center gap-1.5 font-medium text-pine">
                <Plug size={14} strokeWidth={1.75} aria-hidden="true" /> Connect
              </span>
            </button>
          </li>
        ))}
      </ul>
      {connections.some(({ app }) => !ownApps.includes(app)) && open.length === 0 && (
        <AnotherAccount isFrom={purpose === 'from'} onConnected={setConnection} />
      )}
      <ConnectDrawer
        app={connecting}
        isOpen={connecting !== undefined}
        onClose={() => setConnecting(undefined)}
        onConnected={setConnection}
      />
    </>
  );
}

interface AnotherProps {
  readonly isFrom: boolean;
  readonly onConnected: (connection: Connection) => void;
}

function AnotherAccount({ isFrom, onConnected }: AnotherProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button look="quiet" className="mt-1" icon={<Plug size={14} />} onClick={() => setOpen(true)}>
        Connect another account
      </Button>
      <ConnectDrawer isFrom={isFrom} isOpen={isOpen} onClose={() => setOpen(false)} onConnected={onConnected} />
    </>
  );
}

interface PlacesProps {
  readonly connection: Connection;
  readonly app: App | undefined;
  readonly purpose: 'from' | 'to';
  readonly columns: readonly string[];
  readonly source?: PageSource | undefined;
  /** Absent where no other app can be chosen. */
  readonly onBack?: () => void;
  readonly onChoose: (path: readonly string[], labels: readonly string[]) => void;
}

/** The places of one connection, to choose one from. */
export function Places({ connection, app, purpose, columns, source, onBack, onChoose }: PlacesProps) {
  const [above, setAbove] = useState<{ path: readonly string[]; labels: readonly string[] }>({ path: [], labels: [] });
  const [isMaking, setMaking] = useState(false);
  const places = usePlaces(connection.id, above.path);
  const only = places.data?.length === 1 ? places.data[0] : undefined;
  const choose = (one: PlaceChoice): void => {
    const next = { path: [...above.path, one.id], labels: [...above.labels, one.label] };
    if (one.isPlace) onChoose(next.path, next.labels);
    else setAbove(next);
  };
  const canMake = purpose === 'to' && app?.makesPlaces === true;
  // Where there is nothing to choose, nothing is asked.
  const takesTemplates = app?.takesTemplates === true;
  const isDecided = only?.isPlace === true && !canMake && !takesTemplates;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the only place is known
  useEffect(() => {
    if (only && isDecided) choose(only);
  }, [isDecided]);
  return (
    <div>
      <p className="mb-1.5 flex flex-wrap items-center gap-1.5">
        {onBack && (
          <>
            <button type="button" className="underlined" onClick={onBack}>
              Apps
            </button>
            <ChevronRight size={13} className="text-ink-2" aria-hidden="true" />
          </>
        )}
        <button
          type="button"
          className={above.path.length > 0 ? 'underlined' : 'font-semibold'}
          onClick={() => setAbove({ path: [], labels: [] })}
        >
          {connection.name}
        </button>
        {above.labels.map((label) => (
          <span key={label} className="flex items-center gap-1.5 font-semibold">
            <ChevronRight size={13} className="text-ink-2" aria-hidden="true" />
            {label}
          </span>
        ))}
      </p>
      {places.isPending && <Loading what="the places" />}
      {places.error && <ProblemMessage>{places.error.message}</ProblemMessage>}
      {places.data?.length === 0 && <p className="py-1 text-ink-2">Nothing is there yet.</p>}
      <ul
        aria-label="Places"
        className="max-h-[300px] overflow-y-auto rounded-md border border-line-1 bg-sheet empty:hidden"
      >
        {(places.data ?? []).map((one) => (
          <li key={one.id} className="border-b border-line-2 last:border-b-0">
            <button
              type="button"
              onClick={() => choose(one)}
              className="flex w-full items-baseline gap-2 px-3 py-2 text-left hover:bg-pine-faint"
            >
              <span className="font-medium">{one.label}</span>
              <span className="text-sm text-ink-2">
                {[one.holds !== undefined && counted(one.holds, 'row'), one.remark].filter(Boolean).join(' · ')}
              </span>
              {!one.isPlace && <ChevronRight size={14} className="ml-auto self-center text-ink-2" aria-hidden="true" />}
            </button>
          </li>
        ))}
      </ul>
      {canMake && above.path.length < 2 && (
        <Button look="quiet" className="mt-1" icon={<FilePlus2 size={14} />} onClick={() => setMaking(true)}>
          {above.path.length === 0 ? 'Make a new file' : 'Make a new tab'}
        </Button>
      )}
      {takesTemplates && (
        <>
          <p className="mt-2 mb-1.5 text-ink-2">
            A template is a DOCX document of yours in which values stand in braces, such as {'{number}'}, or a page that
            is made here.
          </p>
          <div className="flex flex-wrap gap-2">
            <AddTemplate />
            <MakePage source={source} />
          </div>
        </>
      )}
      <MakePlaceDrawer
        connection={connection.id}
        file={above.path[0]}
        columns={columns}
        isOpen={isMaking}
        onClose={() => setMaking(false)}
        onMade={(path) => onChoose(path, path)}
      />
    </div>
  );
}
