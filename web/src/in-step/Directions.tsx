import { Link } from 'react-router';
import type { InStep, InStepLeg } from '../api/queries.ts';
import { counted, formatInstant } from '../parts/formats.ts';
import { carriesWords, rehearsedWords } from './words.ts';

interface DirectionsProps {
  readonly pair: InStep;
  readonly zone: string;
}

const cell = 'border-b border-line-2 px-3 py-2 align-top';

/** Each direction of a pair: what it would do, and how it stands. */
export function Directions({ pair, zone }: DirectionsProps) {
  return (
    <div className="overflow-x-auto rounded-md border border-line-1 bg-sheet">
      <table className="w-full min-w-[760px] border-collapse text-left">
        <thead className="text-sm text-ink-2">
          <tr>
            <th className={cell}>What goes over</th>
            <th className={cell}>Last rehearsal, over all records</th>
            <th className={cell}>Now</th>
          </tr>
        </thead>
        <tbody>
          {pair.legs.map((leg) => (
            <tr key={leg.workflow}>
              <td className={cell}>
                <Link to={`/workflows/${leg.workflow}`} className="underlined font-medium">
                  {carriesWords(pair, leg)}
                </Link>
                {leg.problems.slice(0, 3).map((problem) => (
                  <p key={problem} className="text-sm text-brick">
                    {problem}
                  </p>
                ))}
                {leg.problems.length > 3 && (
                  <p className="text-sm text-brick">and {leg.problems.length - 3} more; open it to see them.</p>
                )}
              </td>
              <td className={cell}>
                <Rehearsed leg={leg} />
              </td>
              <td className={`${cell} text-ink-2`}>
                <Standing leg={leg} zone={zone} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Rehearsed({ leg }: { readonly leg: InStepLeg }) {
  const { rehearsal, carries } = leg;
  if (carries === 'removed_here' || carries === 'removed_there')
    return <span className="text-ink-2">Only what is removed from now on.</span>;
  if (!rehearsal) return <span className="text-ink-2">Not rehearsed yet.</span>;
  if (rehearsal.state === 'broken') return <span className="text-brick">{rehearsal.message}</span>;
  const words = rehearsedWords(rehearsal);
  return (
    <>
      {rehearsal.state === 'running' ? (
        <span role="status">Looking at {counted(rehearsal.total, 'record')}…</span>
      ) : (
        <Link to={`/workflows/${leg.workflow}/rehearse`} className="underlined">
          {words === '' ? 'nothing' : words}
        </Link>
      )}
      {!rehearsal.isOfThisDraft && rehearsal.state !== 'running' && (
        <p className="text-sm text-brass">Something was changed since. Rehearse it again.</p>
      )}
    </>
  );
}

function Standing({ leg, zone }: { readonly leg: InStepLeg; readonly zone: string }) {
  if (leg.liveVersion === null) return 'Not live yet.';
  return (
    <>
      <p>
        {leg.isOn ? 'On' : 'Off'}, version {leg.liveVersion}
        {leg.isDraftChanged && ' (changed since)'}
        {leg.lastCheckedAt && `; looked at ${formatInstant(leg.lastCheckedAt, zone)}`}
      </p>
      {leg.message && <p className="text-brass">{leg.message}</p>}
      {leg.unsettled > 0 && (
        <Link to="/needs-you" className="underlined text-brick">
          {leg.unsettled === 1 ? '1 needs you' : `${leg.unsettled} need you`}
        </Link>
      )}
    </>
  );
}
