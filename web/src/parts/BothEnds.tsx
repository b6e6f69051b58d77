import { Link } from 'react-router';
import type { Handing } from '../api/queries.ts';

interface EndsProps {
  readonly handing: Handing | undefined;
  /** The ids of those that are to go on with it. */
  readonly also: ReadonlySet<string>;
  readonly onSay: (also: ReadonlySet<string>) => void;
}

/** True where the other end of handing over is off, or lacks something: that is told before one goes on alone. */
export const hasMoreToTell = ({ to, from }: Handing): boolean =>
  [...to, ...from].some(({ isOn }) => !isOn) || from.some(({ lacks }) => lacks.length > 0);

/** Those of the other end that are proposed to go on too: whoever takes in what is handed over. */
export const proposedToo = (handing: Handing | undefined): ReadonlySet<string> =>
  new Set((handing?.to ?? []).filter(({ isOn, mayGoOn }) => !isOn && mayGoOn).map(({ id }) => id));

/** Ids as a route takes them; undefined for none. */
export const idsOf = (ids: ReadonlySet<string>): string | undefined => [...ids].join(',') || undefined;

/** What there is to know of the other ends of handing over, and which of them go on too. */
export function BothEnds({ handing, also, onSay }: EndsProps) {
  if (!handing || !hasMoreToTell(handing)) return null;
  const toggle = (id: string, isToo: boolean): void => {
    const next = new Set(also);
    if (isToo) next.add(id);
    else next.delete(id);
    onSay(next);
  };
  return (
    <div className="space-y-1.5 rounded-md bg-brass-tint px-3 py-2 text-brass">
      {handing.to
        .filter(({ isOn }) => !isOn)
        .map((one) => (
          <End key={one.id} end={one} isToo={also.has(one.id)} onToo={(isToo) => toggle(one.id, isToo)}>
            It hands over to “{one.name}”, which is off: what is handed over waits until that is on.
          </End>
        ))}
      {handing.from
        .filter(({ isOn }) => !isOn)
        .map((one) => (
          <End key={one.id} end={one} isToo={also.has(one.id)} onToo={(isToo) => toggle(one.id, isToo)}>
            “{one.name}” hands over to it, and is off: nothing comes from there.
          </End>
        ))}
      {handing.from
        .filter(({ lacks }) => lacks.length > 0)
        .map(({ id, name, lacks }) => (
          <p key={id}>
            “{name}” doesn’t give {lacks.join(', ')} as it is live: you are asked for that with each.{' '}
            <Link to={`/workflows/${id}`} className="underlined">
              Open it
            </Link>
          </p>
        ))}
    </div>
  );
}

interface EndProps {
  readonly end: Handing['to'][number];
  readonly isToo: boolean;
  readonly onToo: (isToo: boolean) => void;
  readonly children: React.ReactNode;
}

function End({ end: { id, liveVersion, mayGoOn }, isToo, onToo, children }: EndProps) {
  return (
    <div>
      <p>{children}</p>
      {mayGoOn ? (
        <label className="mt-0.5 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-pine"
            checked={isToo}
            onChange={(event) => onToo(event.target.checked)}
          />
          {liveVersion === null ? 'Make it live too' : 'Switch it on too'}
        </label>
      ) : (
        <Link to={`/workflows/${id}/rehearse`} className="underlined">
          It has never been live: rehearse it
        </Link>
      )}
    </div>
  );
}
