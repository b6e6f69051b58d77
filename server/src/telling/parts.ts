import type { DayToTell } from '@golden/core';
import { DateTime } from 'luxon';
import { needsOf } from '../api/workspace/needs.ts';
import { quietOnes } from '../api/workspace/quiet.ts';
import { openGroups } from '../asking/open-groups.ts';
import type { Backups } from '../backups.ts';
import type { PublicAddress } from '../doors/public-address.ts';
import type { StopSwitch } from '../engine/stop-switch.ts';
import type { Reconciles } from '../reconcile/reconciles.ts';
import { loadSettings } from '../settings.ts';
import { nameIn, type Workflows } from '../workflows.ts';
import type { TellerParts } from './teller.ts';

interface Product extends Pick<TellerParts, 'db' | 'seams' | 'connections' | 'log'> {
  readonly workflows: Pick<Workflows, 'get'>;
  readonly stopSwitch: StopSwitch;
  readonly storage: { readonly message: string | null };
  readonly backups: Pick<Backups, 'trouble'>;
  readonly publicAddress: Pick<PublicAddress, 'trouble'>;
  readonly reconciles: Pick<Reconciles, 'drifted'>;
}

/** What a teller tells of, read from the product. */
export function tellerParts(services: Product): TellerParts {
  const { db, seams, connections, log, stopSwitch, storage, backups, publicAddress } = services;
  return {
    db,
    seams,
    connections,
    log,
    isStopped: () => stopSwitch.now !== null,
    needs: async () => [
      ...(await needsOf(services)).map(({ workflowId, workflow, cause, connectionId, count, message }) => ({
        key: `${workflowId} ${cause} ${connectionId ?? ''}`,
        workflow,
        count,
        message: connections.masked(message),
      })),
      // Each state of what has drifted is told once.
      ...(await services.reconciles.drifted()).map(({ id, name, count, says }) => ({
        key: `reconcile ${id} ${says}`,
        workflow: name,
        count,
        message: `The two sides are not the same: ${says}.`,
      })),
      // Whom a step names is written to by it; what names nobody is told like all else that needs somebody.
      ...(await openGroups(services))
        .filter(({ to }) => to.length === 0)
        .map(({ workflowId, workflow, step, kind, count }) => ({
          key: `${workflowId} asks ${step}`,
          workflow,
          count,
          message: kind === 'approval' ? 'To be approved.' : 'Questions to be answered.',
        })),
    ],
    days: () => yesterday(services),
    quiet: () => quietOnes(services),
    troubles: async () => [storage.message, backups.trouble, await publicAddress.trouble()].flatMap((one) => one ?? []),
    address: async () => (await loadSettings(db)).publicAddress,
  };
}

/** What became of the records that came yesterday, by workflow; those that are on have their line on quiet days too. */
export async function yesterday({ db, seams }: Pick<TellerParts, 'db' | 'seams'>): Promise<DayToTell[]> {
  const { zone } = await loadSettings(db);
  const today = DateTime.fromISO(seams.now(), { zone }).startOf('day');
  const [from, to] = [today.minus({ days: 1 }), today].map((at) => at.toUTC().toISO() ?? '') as [string, string];
  const counts = await db
    // Of each workflow only its day is read, from an index alone.
    .selectFrom('workflow')
    .crossJoin('item')
    .select(['item.workflow_id', 'item.state', (eb) => eb.fn.countAll<number>().as('count')])
    .whereRef('item.workflow_id', '=', 'workflow.id')
    .where('item.taken_at', '>=', from)
    .where('item.taken_at', '<', to)
    .groupBy(['item.workflow_id', 'item.state'])
    .execute();
  const all = await db.selectFrom('workflow').select(['id', 'draft', 'is_on']).orderBy('created_at').execute();
  return all.flatMap(({ id, draft, is_on }): DayToTell[] => {
    const own = counts.filter((row) => row.workflow_id === id);
    const of = (state?: string): number =>
      own.reduce((sum, row) => sum + (state === undefined || row.state === state ? row.count : 0), 0);
    if (is_on === 0 && own.length === 0) return [];
    return [
      {
        workflow: nameIn(draft),
        takenIn: of(),
        delivered: of('delivered'),
        leftOut: of('left_out'),
        waiting: of('waiting'),
      },
    ];
  });
}
