import { type RepairPlan, type RepairWay, repairLabels, repairWays } from '@golden/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { type Reconcile, useAction, useRehearsal } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { Select } from '../parts/Field.tsx';
import { counted, formatNumber } from '../parts/formats.ts';
import { sideNames } from './sides.ts';

interface RepairProps {
  readonly reconcile: Reconcile;
  readonly figures: NonNullable<Reconcile['figures']>;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** How what was found is put right: a plan that is rehearsed, then carried out as a run like any other. */
export function RepairDrawer({ reconcile, figures, isOpen, onClose }: RepairProps) {
  const { here, there } = sideNames(reconcile);
  const words = repairLabels(here, there);
  const differing = reconcile.fields.filter(({ path }) => (figures.byField[path] ?? 0) > 0);
  const [plan, setPlan] = useState<RepairPlan>({
    makesThere: figures.onlyLeft > 0 && reconcile.makesThere,
    makesHere: false,
    fields: {},
    empties: false,
  });
  const wayOf = (path: string): RepairWay => plan.fields[path] ?? 'from_here';
  const whole: RepairPlan = {
    ...plan,
    fields: Object.fromEntries(differing.map(({ path }) => [path, wayOf(path)])),
  };
  const isNothing = !plan.makesThere && !plan.makesHere && differing.every(({ path }) => wayOf(path) === 'leave');
  const make = useAction(async () => {
    await call('POST /api/reconciles/:id/repair', { params: { id: reconcile.id }, body: whole });
  });
  const planned = reconcile.repairs.filter(({ run }) => run === null);
  const carryOut = useAction(
    async () => call('POST /api/reconciles/:id/repair/carry-out', { params: { id: reconcile.id } }),
    'It is being put right. Compare again when the run has ended.',
  );
  return (
    <Drawer
      title="Plan the repair"
      isOpen={isOpen}
      onClose={onClose}
      isWide
      foot={
        <>
          <Button
            look={planned.length > 0 ? 'plain' : 'main'}
            disabled={isNothing || make.isPending}
            onClick={() => make.mutate(undefined)}
          >
            {make.isPending ? 'Planning…' : planned.length > 0 ? 'Plan it again' : 'Rehearse it'}
          </Button>
          {planned.length > 0 && (
            <Button look="main" disabled={carryOut.isPending} onClick={() => carryOut.mutate(undefined)}>
              Carry it out
            </Button>
          )}
          <span className="text-sm text-ink-2">
            {planned.length > 0 ? 'Each record can be taken back afterwards.' : 'Nothing is written yet.'}
          </span>
        </>
      }
    >
      {figures.onlyLeft > 0 && (
        <Tick
          isOn={plan.makesThere}
          isOff={!reconcile.makesThere}
          onChange={(makesThere) => setPlan({ ...plan, makesThere })}
        >
          Make the {formatNumber(figures.onlyLeft)} that are only in {here} in {there} too
        </Tick>
      )}
      {figures.onlyRight > 0 && (
        <Tick
          isOn={plan.makesHere}
          isOff={!reconcile.makesHere}
          onChange={(makesHere) => setPlan({ ...plan, makesHere })}
        >
          Make the {formatNumber(figures.onlyRight)} that are only in {there} in {here} too
        </Tick>
      )}
      {differing.length > 0 && (
        <>
          <h3 className="mt-4 mb-2 text-lg">Where a field differs</h3>
          <table className="sheet border border-line-1">
            <thead>
              <tr>
                <th scope="col">Field</th>
                <th scope="col" className="w-[80px] text-right">
                  Records
                </th>
                <th scope="col">Which value wins</th>
              </tr>
            </thead>
            <tbody>
              {differing.map(({ path, label, leadsBack }) => (
                <tr key={path}>
                  <td>{label}</td>
                  <td className="text-right">{formatNumber(figures.byField[path] ?? 0)}</td>
                  <td className="p-0.5!">
                    <Select
                      aria-label={`Which ${label} wins`}
                      className="w-full"
                      value={wayOf(path)}
                      onChange={(event) =>
                        setPlan({ ...plan, fields: { ...plan.fields, [path]: event.target.value as RepairWay } })
                      }
                      choices={repairWays
                        .filter((way) => leadsBack || way !== 'from_there')
                        .map((way) => ({ value: way, label: words[way] }))}
                    />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="mt-2">
            <Tick isOn={plan.empties} onChange={(empties) => setPlan({ ...plan, empties })}>
              Where the value that wins is empty, empty the other too
            </Tick>
          </div>
        </>
      )}
      {figures.doubled > 0 && (
        <p className="mt-4 text-ink-2">
          What is doubled isn’t changed by this. Merge it first: “Merge what is doubled” stands on the page.
        </p>
      )}
      {reconcile.repairs.length > 0 && (
        <>
          <h3 className="mt-5 mb-2 text-lg">{planned.length > 0 ? 'The plan' : 'What was put right'}</h3>
          <ul className="divide-y divide-line-2 rounded-md border border-line-1">
            {(planned.length > 0 ? planned : reconcile.repairs).map((one) => (
              <li key={one.workflow} className="flex flex-wrap items-center gap-x-3 gap-y-1 px-3 py-2">
                <span className="font-medium">{one.name}</span>
                <span className="text-ink-2">{counted(one.records, 'record')}</span>
                {one.run === null ? (
                  <Rehearsed workflow={one.workflow} />
                ) : (
                  <Link to={`/workflows/${one.workflow}/runs/${one.run}`} className="underlined ml-auto">
                    Look at the run
                  </Link>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </Drawer>
  );
}

/** How far the rehearsal of a plan is, with the way to its sheet. */
function Rehearsed({ workflow }: { readonly workflow: string }) {
  const rehearsal = useRehearsal(workflow).data;
  const unsettled = rehearsal?.balance.items.unsettled ?? 0;
  return (
    <>
      <span role="status" className={unsettled > 0 ? 'text-brass' : 'text-ink-2'}>
        {!rehearsal || rehearsal.state === 'running'
          ? 'rehearsing…'
          : unsettled > 0
            ? `rehearsed, ${formatNumber(unsettled)} would need you`
            : 'rehearsed'}
      </span>
      <Link to={`/workflows/${workflow}/rehearse`} className="underlined ml-auto">
        See what would happen
      </Link>
    </>
  );
}

interface TickProps {
  readonly isOn: boolean;
  readonly isOff?: boolean;
  readonly onChange: (isOn: boolean) => void;
  readonly children: React.ReactNode;
}

const Tick = ({ isOn, isOff = false, onChange, children }: TickProps) => (
  <label className={`mb-1 flex min-h-6 items-center gap-2 ${isOff ? 'text-ink-2' : ''}`}>
    <input
      type="checkbox"
      checked={isOn}
      disabled={isOff}
      onChange={(event) => onChange(event.target.checked)}
      className="accent-pine"
    />
    <span>
      {children}
      {isOff && ' (nothing can be made there from here)'}
    </span>
  </label>
);
