import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../../api/client.ts';
import { type FileLook, useAction, useConnections } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { Select } from '../../parts/Field.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { ConnectDrawer } from '../place/ConnectDrawer.tsx';
import type { ChosenPlace } from '../place/chosen-place.ts';
import { PlacesToChoose, TextsToSay } from './FileBlanks.tsx';

interface ImportProps {
  /** The file's text; empty asks for a file, undefined keeps the drawer shut. */
  readonly text: string | undefined;
  readonly onClose: () => void;
}

/** Takes in an exported workflow: what it says, and which connections stand for its own here. */
export function ImportDrawer({ text: given, onClose }: ImportProps) {
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const [look, setLook] = useState<FileLook>();
  const [problem, setProblem] = useState('');
  const [by, setBy] = useState<Readonly<Record<string, string>>>({});
  const [places, setPlaces] = useState<Readonly<Record<string, ChosenPlace>>>({});
  const [texts, setTexts] = useState<Readonly<Record<string, string>>>({});
  // biome-ignore lint/correctness/useExhaustiveDependencies: read anew for another file only
  useEffect(() => {
    setLook(undefined);
    setProblem('');
    if (given) void read(given);
  }, [given]);
  const read = async (file: string): Promise<void> => {
    setProblem('');
    try {
      const seen = await call('POST /api/workflows/import/look', { body: { text: file } });
      setText(file);
      setLook(seen);
      setPlaces({});
      setTexts(Object.fromEntries(seen.blanks.map(({ key, text }) => [key, text])));
      setBy(Object.fromEntries(seen.connections.flatMap((one) => (one.here ? [[one.id, one.here]] : []))));
    } catch (error) {
      setLook(undefined);
      setProblem((error as Error).message);
    }
  };
  const take = useAction(async () => {
    const made = await call('POST /api/workflows/import', {
      body: { text, connections: { ...by }, places: { ...places }, texts: { ...texts } },
    });
    onClose();
    await navigate(look && look.workflows > 1 ? '/workflows' : `/workflows/${made.id}`);
  });
  const open = look?.connections.filter((one) => !by[one.id]) ?? [];
  return (
    <Drawer
      title="Import a workflow"
      isOpen={given !== undefined}
      onClose={onClose}
      foot={
        look && (
          <>
            <Button look="main" disabled={take.isPending} onClick={() => take.mutate(undefined)}>
              {look.workflows > 1 ? `Make ${look.workflows} drafts` : 'Make a draft'}
            </Button>
            {open.length > 0 && <span className="text-sm text-ink-2">You can also choose these later.</span>}
          </>
        )
      }
    >
      {given === '' && (
        <label className="mb-4 block">
          <span className="mb-1 block font-medium">A file exported from Golden Relay</span>
          <input
            type="file"
            accept=".json,application/json"
            onChange={async (event) => {
              const file = event.target.files?.[0];
              if (file) await read(await file.text());
            }}
          />
        </label>
      )}
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {look && (
        <>
          <h3 className="text-lg">{look.name}</h3>
          {look.note && <p className="mb-1 text-ink-2">{look.note}</p>}
          <ol className="mt-1 mb-4 space-y-1 border-l border-line-1 pl-3 font-serif text-md">
            {look.sentences.map((sentence, at) => (
              // Two workflows of a folder may say the same.
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <li key={at}>{sentence}</li>
            ))}
          </ol>
          <h3 className="mb-1 font-sans font-semibold">Which apps it uses, and what it does there</h3>
          <ul className="space-y-2">
            {look.connections.map((one) => (
              <li key={one.id}>
                <ConnectionChoice
                  app={one.app}
                  label={`${one.name} (${one.appTitle})`}
                  does={one.does}
                  chosen={by[one.id]}
                  onChoose={(here) => setBy({ ...by, [one.id]: here })}
                />
              </li>
            ))}
          </ul>
          <PlacesToChoose
            text={text}
            by={by}
            chosen={places}
            onChoose={(key, place) => {
              const { [key]: _, ...others } = places;
              setPlaces(place ? { ...others, [key]: place } : others);
            }}
          />
          <TextsToSay
            blanks={look.blanks}
            isMany={look.workflows > 1}
            texts={texts}
            onSay={(key, said) => setTexts({ ...texts, [key]: said })}
          />
          {take.error && <ProblemMessage>{take.error.message}</ProblemMessage>}
        </>
      )}
    </Drawer>
  );
}

interface ChoiceProps {
  readonly app: string;
  readonly label: string;
  readonly does: readonly string[];
  readonly chosen: string | undefined;
  readonly onChoose: (id: string) => void;
}

function ConnectionChoice({ app, label, does, chosen, onChoose }: ChoiceProps) {
  const same = (useConnections().data ?? []).filter((one) => one.app === app);
  const leadsTo = same.find((one) => one.id === chosen)?.leadsTo;
  const [isConnecting, setConnecting] = useState(false);
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="min-w-[180px]">{label}</span>
      {same.length > 0 && (
        <Select
          aria-label={`Connection for ${label}`}
          value={chosen ?? ''}
          onChange={(event) => onChoose(event.target.value)}
          choices={[
            ...(chosen ? [] : [{ value: '', label: 'choose' }]),
            ...same.map((one) => ({ value: one.id, label: one.name })),
          ]}
        />
      )}
      <Button look="quiet" onClick={() => setConnecting(true)}>
        Connect
      </Button>
      <ul aria-label={`What it does through ${label}`} className="basis-full pl-3 text-sm text-ink-2">
        {leadsTo && (
          <li>
            at <span className="font-mono break-all [font-variant-ligatures:none]">{leadsTo}</span>
          </li>
        )}
        {does.map((deed) => (
          <li key={deed} className="break-words">
            {deed}
          </li>
        ))}
      </ul>
      <ConnectDrawer
        isOpen={isConnecting}
        onClose={() => setConnecting(false)}
        onConnected={(made) => onChoose(made.id)}
      />
    </div>
  );
}
