import type { Place } from '@golden/core';
import { FilePlus2 } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import { type Connection, useApps, usePlace, usePlaces } from '../../api/queries.ts';
import { AddTemplate } from '../../parts/AddTemplate.tsx';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { counted } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { MakePage } from '../document/page/MakePage.tsx';
import { useEditor } from '../draft/context.tsx';
import { CallForm } from './CallForm.tsx';
import { ConnectDrawer } from './ConnectDrawer.tsx';
import { inboxApp } from './chosen-place.ts';
import { MakePlaceDrawer } from './MakePlaceDrawer.tsx';

interface ChooserProps {
  readonly purpose: 'from' | 'to';
  readonly place: Place | null;
  readonly connections: readonly Connection[];
  readonly onChoose: (place: Place) => void;
}

const another = '+ another';

/** App, then place: nested choices with what each holds. */
export function PlaceChooser({ purpose, place, connections, onChoose }: ChooserProps) {
  const [connection, setConnection] = useState(place?.connection ?? '');
  const [path, setPath] = useState<readonly string[]>(place?.path ?? []);
  const [labels, setLabels] = useState<readonly string[]>(place?.labels ?? []);
  const [isConnecting, setConnecting] = useState(false);
  const [isMaking, setMaking] = useState(false);
  const { draft } = useEditor();
  const apps = useApps().data;
  const app = connections.find((one) => one.id === connection)?.app;
  const isCalled = apps?.find((one) => one.id === app)?.isCalled === true;
  const canMake = purpose === 'to' && apps?.find((one) => one.id === app)?.makesPlaces === true;
  const columns = (draft.content.start.source?.described.fields ?? []).map((field) => field.label);
  const last = usePlaces(connection, path.slice(0, -1)).data?.find((one) => one.id === path.at(-1));
  const chooseConnection = (id: string): void => {
    if (id === another) {
      setConnecting(true);
      return;
    }
    setConnection(id);
    setPath([]);
    setLabels([]);
  };
  const takesTemplates = (id: string | undefined): boolean =>
    apps?.find((one) => one.id === id)?.takesTemplates === true;
  const offered = connections.filter((one) => (purpose === 'to' ? one.app !== inboxApp : !takesTemplates(one.app)));
  const choices = offered.map((one) => ({
    value: one.id,
    label: `${one.name}${one.status === 'broken' ? ' (doesn’t work)' : ''}`,
  }));
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Chooser
        aria-label={purpose === 'from' ? 'From app' : 'To app'}
        value={connection}
        placeholder={purpose === 'from' ? 'Choose where from' : 'Choose where to'}
        onChoose={chooseConnection}
        choices={[...choices, { value: another, label: 'Connect another app…' }]}
      />
      {isCalled && (
        <CallForm connection={connection} place={place?.connection === connection ? place : null} onChoose={onChoose} />
      )}
      {connection && !isCalled && (
        <Levels
          connection={connection}
          path={path}
          onPath={(next, nextLabels) => {
            setPath(next);
            setLabels(nextLabels);
          }}
          labels={labels}
        />
      )}
      {connection && last?.isPlace && (
        <Described
          key={`${connection}/${path.join('/')}`}
          connection={connection}
          path={path}
          labels={labels}
          place={place}
          onChoose={onChoose}
        />
      )}
      {takesTemplates(app) && (
        <>
          <AddTemplate />
          <MakePage source={draft.content.start.source?.described} />
        </>
      )}
      {connection && !isCalled && !takesTemplates(app) && (
        <LinkField
          connection={connection}
          onFound={(found) => {
            setPath(found.path);
            setLabels(found.labels);
          }}
        />
      )}
      {canMake && (
        <Button look="quiet" icon={<FilePlus2 size={14} strokeWidth={1.75} />} onClick={() => setMaking(true)}>
          {path.length === 0 ? 'New file' : 'New tab'}
        </Button>
      )}
      <MakePlaceDrawer
        connection={connection}
        file={path[0]}
        columns={columns}
        isOpen={isMaking}
        onClose={() => setMaking(false)}
        onMade={(made) => {
          setPath(made);
          setLabels(made);
        }}
      />
      <ConnectDrawer
        isFrom={purpose === 'from'}
        isOpen={isConnecting}
        onClose={() => setConnecting(false)}
        onConnected={(made) => chooseConnection(made.id)}
      />
    </div>
  );
}

interface LinkProps {
  readonly connection: string;
  readonly onFound: (place: { readonly path: readonly string[]; readonly labels: readonly string[] }) => void;
}

/** A link copied from the app itself, instead of the choices. */
function LinkField({ connection, onFound }: LinkProps) {
  const [problem, setProblem] = useState('');
  const look = async (link: string): Promise<void> => {
    setProblem('');
    if (link.trim() === '') return;
    try {
      const { place } = await call('GET /api/connections/:id/place-from-link', {
        params: { id: connection },
        query: { link },
      });
      if (place) onFound(place);
      else setProblem('This link doesn’t lead to a place in this app.');
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <>
      <input
        aria-label="A link to the place"
        placeholder="or paste a link to it"
        onPaste={(event) => void look(event.clipboardData.getData('text'))}
        onKeyDown={(event) => event.key === 'Enter' && void look(event.currentTarget.value)}
        className={`${inputLook} w-[190px]`}
      />
      {problem && (
        <span role="alert" className="text-sm text-brick">
          {problem}
        </span>
      )}
    </>
  );
}

interface LevelsProps {
  readonly connection: string;
  readonly path: readonly string[];
  readonly labels: readonly string[];
  readonly onPath: (path: readonly string[], labels: readonly string[]) => void;
}

function Levels({ connection, path, labels, onPath }: LevelsProps) {
  return [...path, undefined].map((_, depth) => (
    <Level
      // The levels are told apart by how deep they are.
      // biome-ignore lint/suspicious/noArrayIndexKey: see above
      key={depth}
      connection={connection}
      above={path.slice(0, depth)}
      chosen={path[depth]}
      onChoose={(id, label) => onPath([...path.slice(0, depth), id], [...labels.slice(0, depth), label])}
    />
  ));
}

interface LevelProps {
  readonly connection: string;
  readonly above: readonly string[];
  readonly chosen: string | undefined;
  readonly onChoose: (id: string, label: string) => void;
}

function Level({ connection, above, chosen, onChoose }: LevelProps) {
  const parents = usePlaces(connection, above.slice(0, -1)).data;
  const parent = above.length > 0 ? parents?.find((one) => one.id === above.at(-1)) : undefined;
  const isBottom = above.length > 0 && parent?.isPlace !== false;
  const places = usePlaces(isBottom ? '' : connection, above);
  if (isBottom) return null;
  if (places.error) return <ProblemMessage>{places.error.message}</ProblemMessage>;
  const isGone = chosen !== undefined && places.data && !places.data.some((one) => one.id === chosen);
  return (
    <Chooser
      aria-label={above.length === 0 ? 'Place' : `Place in ${above.at(-1)}`}
      value={chosen ?? ''}
      isLooking={places.isFetching}
      onLookAgain={() => void places.refetch()}
      onChoose={(id) => onChoose(id, places.data?.find((one) => one.id === id)?.label ?? id)}
      choices={[
        ...(isGone ? [{ value: chosen, label: `${chosen} (gone)` }] : []),
        ...(places.data ?? []).map((one) => ({
          value: one.id,
          label: one.label,
          hint: [one.holds !== undefined && counted(one.holds, 'row'), one.remark].filter(Boolean).join(' · '),
        })),
      ]}
    />
  );
}

interface DescribedProps {
  readonly connection: string;
  readonly path: readonly string[];
  readonly labels: readonly string[];
  readonly place: Place | null;
  readonly onChoose: (place: Place) => void;
}

/** Takes a place once it is described. */
function Described({ connection, path, labels, place, onChoose }: DescribedProps) {
  const seen = usePlace(connection, path);
  const described = seen.data?.described;
  const isChosen = place?.connection === connection && place.path.join('/') === path.join('/');
  const take = (): void => {
    if (described) onChoose({ connection, path: [...path], labels: [...labels], described });
  };
  // The first choice is taken at once; one that replaces another is asked for.
  const isFirst = place === null && described !== undefined;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the place is described
  useEffect(() => {
    if (isFirst) take();
  }, [isFirst]);
  if (seen.error) return <ProblemMessage>{seen.error.message}</ProblemMessage>;
  if (!described) return <span className="text-ink-2">Looking…</span>;
  if (!isChosen && place) {
    return (
      <Button look="main" onClick={take}>
        Use this instead
      </Button>
    );
  }
  return null;
}
