import type { Api } from '@golden/server/api';
import { FileDown } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { asBase64 } from '../../parts/bytes.ts';
import { ChooseFile } from '../../parts/ChooseFile.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { formatInstant, formatNumber } from '../../parts/formats.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useFileDrop } from '../../parts/use-file-drop.ts';
import { useEditor } from '../draft/context.tsx';

type Look = Api['POST /api/files/:id/look']['response'];

/** Kinds of files that are read. */
const accepted = '.csv,.xlsx,.xlsm,.ods,.json,.jsonl,.ndjson,.xml,.vcf,.ics';

interface DropProps {
  readonly inbox: string;
  /** What is dropped is sent; of a draft it is a sample. */
  readonly isLive: boolean;
}

/** Where files are dropped: each is looked at first, and taken in when a person has seen what it would bring. */
export function DropFiles({ inbox, isLive }: DropProps) {
  const [queue, setQueue] = useState<readonly File[]>([]);
  const { isOver, handlers } = useFileDrop((files) => setQueue((before) => [...before, ...files]));
  const [file] = queue;
  return (
    <>
      <section
        aria-label="Drop a file"
        {...handlers}
        className={`flex flex-wrap items-center gap-3 rounded-lg border border-dashed border-pine px-4 py-3 ${isOver ? 'bg-pine-tint' : 'bg-sheet'}`}
      >
        <FileDown size={18} strokeWidth={1.75} className="text-pine" aria-hidden="true" />
        <span>
          Drop a file here
          <span className="block text-sm text-ink-2">
            {isLive
              ? 'You see what it would bring before anything is sent.'
              : 'Its records become samples; nothing is sent.'}
          </span>
        </span>
        <span className="ml-auto">
          <ChooseFile
            label="A file to take in"
            accept={accepted}
            takesSeveral
            onFiles={(files) => setQueue((before) => [...before, ...files])}
          >
            Choose a file
          </ChooseFile>
        </span>
      </section>
      {file && (
        <LookDrawer
          key={`${file.name} ${queue.length}`}
          inbox={inbox}
          file={file}
          isLive={isLive}
          left={queue.length - 1}
          onDone={() => setQueue((before) => before.slice(1))}
        />
      )}
    </>
  );
}

interface LookProps extends DropProps {
  readonly file: File;
  /** Files that wait behind it. */
  readonly left: number;
  readonly onDone: () => void;
}

/** What a file would bring, and the button that takes it in. */
function LookDrawer({ inbox, file, isLive, left, onDone }: LookProps) {
  const [look, setLook] = useState<Look>();
  const [trouble, setTrouble] = useState<string>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: each file is looked at once
  useEffect(() => {
    let isGone = false;
    asBase64(file)
      .then((bytes) => call('POST /api/files/:id/look', { params: { id: inbox }, body: { name: file.name, bytes } }))
      .then((found) => !isGone && setLook(found))
      .catch((error: Error) => !isGone && setTrouble(error.message));
    return () => {
      isGone = true;
    };
  }, []);
  const take = useAction(async () => {
    const body = { name: file.name, bytes: await asBase64(file), isEvenSo: look?.against !== null };
    await call('POST /api/files/:id/take', { params: { id: inbox }, body });
    onDone();
  }, `“${file.name}” was taken in.`);
  const isNothing = look !== undefined && (look.repeatOf !== null || look.added + look.changed === 0);
  return (
    <Drawer
      title={file.name}
      isOpen
      onClose={onDone}
      isWide
      foot={
        <>
          {look && !isNothing && (
            <Button look="main" disabled={take.isPending} onClick={() => take.mutate(undefined)}>
              {take.isPending ? 'Taking it in…' : takeWords(look, isLive)}
            </Button>
          )}
          <Button onClick={onDone}>{left > 0 ? 'Go on to the next file' : isNothing ? 'Close' : 'Leave it'}</Button>
          {left > 0 && (
            <span className="text-sm text-ink-2">
              {left} more {left === 1 ? 'file waits' : 'files wait'}
            </span>
          )}
        </>
      }
    >
      {trouble && <ProblemMessage>{trouble}</ProblemMessage>}
      {!trouble && !look && <Loading what="what it holds" />}
      {look && <Brings look={look} isLive={isLive} />}
    </Drawer>
  );
}

/** What the button says: how many of what, and even so where something speaks against it. */
function takeWords({ added, changed, plural, against }: Look, isLive: boolean): string {
  const parts = [added > 0 && `${formatNumber(added)} new`, changed > 0 && `${formatNumber(changed)} changed`];
  const what = `${parts.filter(Boolean).join(' and ')} ${added + changed === 1 ? 'one' : plural}`;
  return `${isLive ? `Take in ${what}` : `Use ${what} as samples`}${against === null ? '' : ', even so'}`;
}

function Brings({ look, isLive }: { readonly look: Look; readonly isLive: boolean }) {
  const { zone } = useEditor();
  const { repeatOf, rows, plural, added, changed, same, twice, against, sharing, fields, shown } = look;
  const columns = fields.slice(0, 6);
  if (repeatOf)
    return (
      <p>
        This file came on {formatInstant(repeatOf.at, zone)} as “{repeatOf.name}”, exactly as it is. It is a repeat:
        nothing in it is new. To bring its records in once more, do so in the list of files.
      </p>
    );
  return (
    <>
      {against !== null && (
        <div className="mb-3">
          <ProblemMessage>{against}</ProblemMessage>
        </div>
      )}
      <ul className="mb-4 flex flex-wrap gap-x-6 gap-y-1">
        <Count label={`${plural} in it`} count={rows} />
        <Count label="new" count={added} />
        {changed > 0 && <Count label="changed since an earlier file" count={changed} />}
        {same > 0 && <Count label="as they were" count={same} />}
        {twice > 0 && <Count label="standing in it twice" count={twice} />}
      </ul>
      {sharing.length > 0 && (
        <p className="mb-3 text-brass">
          What recognises a record isn’t different in each: {sharing.join(', ')}
          {sharing.length === 5 && ' …'}. Each is kept, as one of its own.
        </p>
      )}
      {added + changed === 0 && (
        <p>Nothing in it is new or changed, so there is nothing to {isLive ? 'send' : 'use'}.</p>
      )}
      {shown.length > 0 && (
        <div className="overflow-x-auto">
          <table className="sheet">
            <thead>
              <tr>
                <th scope="col">Where</th>
                {columns.map((field) => (
                  <th scope="col" key={field.path}>
                    {field.label}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((one) => (
                <tr key={one.at}>
                  <td className="whitespace-nowrap">
                    {one.at}{' '}
                    <span className={one.kind === 'added' ? 'text-pine' : 'text-brass'}>
                      {one.kind === 'added' ? 'new' : 'changed'}
                    </span>
                  </td>
                  {columns.map((field) => (
                    <td key={field.path} className="max-w-[180px] truncate">
                      {asText(one.record[field.path.slice(1)])}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
          {added + changed > shown.length && (
            <p className="mt-1 text-sm text-ink-2">The first {shown.length} of those that would come.</p>
          )}
        </div>
      )}
    </>
  );
}

const asText = (value: unknown): string =>
  value === null || value === undefined ? '' : typeof value === 'object' ? JSON.stringify(value) : String(value);

function Count({ label, count }: { readonly label: string; readonly count: number }) {
  return (
    <li className="text-ink-2">
      <strong className="text-lg font-semibold text-ink-1 tabular-nums">{formatNumber(count)}</strong> {label}
    </li>
  );
}
