import { useQuery } from '@tanstack/react-query';
import { RotateCcw, ScanEye } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type DoorView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { counted, formatInstant } from '../../parts/formats.ts';
import { Loading } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';

type Came = DoorView['came'][number];
type Refused = DoorView['refused'][number];

/** One event as it came, to be looked at. */
export interface Shown {
  readonly which: 'came' | 'refused';
  readonly seq: number;
  readonly title: string;
}

interface ListProps {
  readonly door: string;
  readonly view: DoorView;
  readonly onLearnt: () => void;
}

/** What came, what in it differs, and what was refused, the newest first. */
export function CameList({ door, view, onLearnt }: ListProps) {
  const { zone } = useEditor();
  const [shown, setShown] = useState<Shown>();
  const learn = useAction(async (key: string) => {
    await call('POST /api/doors/:id/learn', { params: { id: door }, body: { keys: [key] } });
    onLearnt();
  }, 'Its fields were learnt from this event.');
  const again = useAction(
    (key: string) => call('POST /api/doors/:id/again', { params: { id: door }, body: { key } }),
    'Brought in as an event of its own.',
  );
  const { came, refused, counts } = view;
  return (
    <>
      {came.length > 0 && (
        <section aria-label="Events that came" className="border-t border-line-1">
          <p className="px-5 pt-3 pb-1 text-sm text-ink-2">
            {counted(counts.came, 'event')} came, {counted(counts.repeats, 'repeat')}, {counts.refused} refused.
            {counts.came > came.length && ` The newest ${came.length}:`}
          </p>
          <table className="sheet">
            <thead>
              <tr>
                <th scope="col">Came</th>
                <th scope="col">Fields</th>
                <th scope="col">Compared with the others</th>
                <th scope="col">
                  <span className="sr-only">What to do</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {came.map((one) => (
                <tr key={one.seq}>
                  <td className="whitespace-nowrap">
                    {formatInstant(one.at, zone)}
                    {one.isTest && <span className="ml-2 text-sm text-plum">test from here</span>}
                    {one.repeats > 0 && (
                      <span className="ml-2 text-sm text-ink-2">+ {counted(one.repeats, 'repeat')}</span>
                    )}
                  </td>
                  <td className="tabular-nums">{one.fields}</td>
                  <td className="max-w-[360px]">
                    <Differs one={one} isAlone={came.length === 1} />
                  </td>
                  <td className="whitespace-nowrap">
                    <span className="flex items-center">
                      <Button
                        look="quiet"
                        icon={<ScanEye size={14} strokeWidth={1.75} />}
                        onClick={() => setShown({ which: 'came', seq: one.seq, title: 'An event as it came' })}
                      >
                        Show
                      </Button>
                      <Button
                        look="quiet"
                        data-hint="The fields of this source become those of this event. What you have mapped stays."
                        disabled={learn.isPending}
                        onClick={() => learn.mutate(one.key)}
                      >
                        Learn its fields
                      </Button>
                      {one.repeats > 0 && !one.isTest && (
                        <Button
                          look="quiet"
                          icon={<RotateCcw size={14} />}
                          disabled={again.isPending}
                          onClick={() => again.mutate(one.key)}
                        >
                          Bring in once more
                        </Button>
                      )}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {refused.length > 0 && <RefusedList refused={refused} zone={zone} onShow={setShown} />}
      <BodyDrawer door={door} shown={shown} onClose={() => setShown(undefined)} />
    </>
  );
}

/** Fields that come and go from one event to the next. */
function Differs({ one, isAlone }: { readonly one: Came; readonly isAlone: boolean }) {
  if (isAlone) return <span className="text-ink-3">Post a second, different one to compare.</span>;
  if (one.lacks.length === 0 && one.only.length === 0) return <span className="text-ink-2">all fields</span>;
  return (
    <>
      {one.only.length > 0 && <span className="text-brass">only here: {few(one.only)} </span>}
      {one.lacks.length > 0 && <span className="text-ink-2">without {few(one.lacks)}</span>}
    </>
  );
}

const few = (names: readonly string[]): string =>
  names.length <= 4 ? names.join(', ') : `${names.slice(0, 3).join(', ')} and ${names.length - 3} more`;

interface RefusedProps {
  readonly refused: readonly Refused[];
  readonly zone: string;
  readonly onShow: (shown: Shown) => void;
}

/** What was refused, with the reason. */
export function RefusedList({ refused, zone, onShow }: RefusedProps) {
  return (
    <section aria-label="Refused" className="border-t border-line-1">
      <h3 className="px-5 pt-3 pb-1 font-medium">Refused</h3>
      <table className="sheet">
        <thead>
          <tr>
            <th scope="col">Came</th>
            <th scope="col">From</th>
            <th scope="col">Why</th>
            <th scope="col">
              <span className="sr-only">What to do</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {refused.map((one) => (
            <tr key={one.seq}>
              <td className="whitespace-nowrap">{formatInstant(one.at, zone)}</td>
              <td className="whitespace-nowrap tabular-nums">{one.from}</td>
              <td className="max-w-[520px] whitespace-normal">{one.reason}</td>
              <td>
                <Button
                  look="quiet"
                  icon={<ScanEye size={14} strokeWidth={1.75} />}
                  disabled={!one.isKept}
                  onClick={() => onShow({ which: 'refused', seq: one.seq, title: 'What was refused' })}
                >
                  {one.isKept ? 'Show' : 'Not kept'}
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

interface BodyProps {
  readonly door: string;
  readonly shown: Shown | undefined;
  readonly onClose: () => void;
}

/** One that came or was refused: its headers without secrets, and its content. */
export function BodyDrawer({ door, shown, onClose }: BodyProps) {
  const { data } = useBody(door, shown);
  return (
    <Drawer title={shown?.title ?? ''} isOpen={shown !== undefined} onClose={onClose} isWide>
      {!data && <Loading what="the event" />}
      {data && (
        <>
          <h3 className="mb-1 font-medium">Content</h3>
          <pre className="mb-4 overflow-auto rounded-md border border-line-1 bg-raised px-3 py-2 font-mono text-sm whitespace-pre-wrap break-all">
            {data.body ?? 'Not kept.'}
          </pre>
          <h3 className="mb-1 font-medium">Headers</h3>
          <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-sm">
            {Object.entries(data.headers).map(([name, value]) => (
              <div key={name} className="contents">
                <dt className="font-mono text-ink-2">{name}</dt>
                <dd className="font-mono break-all">{value}</dd>
              </div>
            ))}
          </dl>
        </>
      )}
    </Drawer>
  );
}

function useBody(door: string, shown: Shown | undefined) {
  return useQuery({
    queryKey: ['door', door, 'body', shown?.which, shown?.seq],
    queryFn: () =>
      call('GET /api/doors/:id/bodies/:which/:seq', {
        params: { id: door, which: shown?.which ?? 'came', seq: String(shown?.seq) },
      }),
    enabled: shown !== undefined,
  });
}
