import { backId, checkReadiness, type Place, proposalsToAccept } from '@golden/core';
import { isUnsettled } from '../../db/item-states.ts';
import { rehearsalCounts } from '../../engine/rehearsal-counts.ts';
import { rehearsedFingerprint } from '../../engine/rehearse.ts';
import { type InStepPair, isCarried } from '../../in-step/in-steps.ts';
import type { Services } from '../../services.ts';

/** A pair as a row of a list. */
export async function viewSummary(services: Services, pair: InStepPair) {
  return summaryOf(services, pair, await viewLegs(services, pair));
}

async function summaryOf(services: Services, { row, legs }: InStepPair, views: readonly LegView[]) {
  const [here, there] = [legs.there.start.source, legs.here.start.source];
  return {
    id: row.id,
    name: row.name,
    here: await viewSide(services, here),
    there: await viewSide(services, there),
    state: stateOf(views),
    unsettled: views.reduce((sum, { unsettled }) => sum + unsettled, 0),
  };
}

/** A pair with all that its page shows. */
export async function viewPair(services: Services, pair: InStepPair) {
  const { legs, setting, fields } = pair;
  const [here, there] = [legs.there.start.source, legs.here.start.source];
  const views = await viewLegs(services, pair);
  return {
    ...(await summaryOf(services, pair, views)),
    setting,
    fields: fields.map((field) => ({ ...field, there: field.there ?? null, here: [...field.here] })),
    keepsTimes: here?.described.updated !== undefined && there?.described.updated !== undefined,
    retiring: { here: retiringIn(here), there: retiringIn(there) },
    removing: { here: await removesIn(services, here), there: await removesIn(services, there) },
    legs: views,
  };
}

type LegView = Awaited<ReturnType<typeof viewLegs>>[number];

function stateOf(legs: readonly LegView[]): 'draft' | 'on' | 'partly' | 'off' {
  if (legs.every(({ liveVersion }) => liveVersion === null)) return 'draft';
  const on = legs.filter(({ isOn }) => isOn).length;
  return on === legs.length ? 'on' : on > 0 ? 'partly' : 'off';
}

async function viewSide({ db, apps }: Services, place: Place | null) {
  const connection = await db
    .selectFrom('connection')
    .select(['name', 'app'])
    .where('id', '=', place?.connection ?? '')
    .executeTakeFirst();
  return {
    connection: place?.connection ?? '',
    app: connection?.name ?? apps.find(({ id }) => id === connection?.app)?.title ?? 'a connection that is gone',
    labels: [...(place?.labels ?? [])],
    singular: place?.described.singular ?? 'record',
    plural: place?.described.plural ?? 'records',
  };
}

/** Whether the app of a place lets records be removed for good; not where its connection doesn't work now. */
async function removesIn({ connections }: Services, place: Place | null): Promise<boolean> {
  if (!place) return false;
  const connector = await connections.connector(place.connection).catch(() => undefined);
  return connector?.removes?.(place.path) === true;
}

/** Fields that can say that a record isn't used any more: few values, or a text. */
const retiringIn = (place: Place | null) =>
  (place?.described.fields ?? []).flatMap(({ path, label, type, options, readOnly }) =>
    !readOnly && ['choice', 'boolean', 'text', 'any'].includes(type)
      ? [{ path, label, options: (options ?? []).map((one) => ({ ...one })) }]
      : [],
  );

async function viewLegs(services: Services, { row, setting }: InStepPair) {
  const legs = [
    { carries: 'there' as const, workflow: row.there_id },
    { carries: 'here' as const, workflow: row.here_id },
    { carries: 'removed_here' as const, workflow: row.removed_here_id },
    { carries: 'removed_there' as const, workflow: row.removed_there_id },
  ];
  const views = [];
  for (const { carries, workflow } of legs)
    if (workflow !== null && isCarried(setting, carries)) views.push(await viewLeg(services, carries, workflow));
  return views;
}

async function viewLeg(
  services: Services,
  carries: 'there' | 'here' | 'removed_here' | 'removed_there',
  workflow: string,
) {
  const { db, workflows } = services;
  const { draft, isOn, liveVersion } = await workflows.get(workflow);
  const { isDraftChanged } = await workflows.versionsOf(workflow);
  const trigger = await db
    .selectFrom('trigger_state')
    .select(['last_checked_at', 'next_at', 'message'])
    .where('workflow_id', '=', workflow)
    .executeTakeFirst();
  const { count } = await db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('count'))
    .where('workflow_id', '=', workflow)
    .where(isUnsettled)
    .executeTakeFirstOrThrow();
  const open = checkReadiness(draft).flatMap(({ severity, message }) => (severity === 'blocks' ? [message] : []));
  const toAccept = proposalsToAccept(draft).map(({ label, place, reason }) => ({ label, place, reason }));
  return {
    workflow,
    name: draft.name,
    carries,
    isOn,
    liveVersion,
    isDraftChanged: liveVersion !== null && isDraftChanged,
    lastCheckedAt: trigger?.last_checked_at ?? null,
    nextAt: isOn ? (trigger?.next_at ?? null) : null,
    message: trigger?.message ?? null,
    unsettled: count,
    problems: open,
    toAccept,
    rehearsal: await viewRehearsal(services, workflow),
  };
}

async function viewRehearsal({ db, workflows }: Services, workflow: string) {
  const row = await db.selectFrom('rehearsal').selectAll().where('workflow_id', '=', workflow).executeTakeFirst();
  if (!row) return null;
  const { draft } = await workflows.get(workflow);
  const { states, steps } = rehearsalCounts.parse(JSON.parse(row.counts));
  return {
    state: row.state,
    isOfThisDraft: row.fingerprint === rehearsedFingerprint(draft),
    message: row.message,
    total: row.total,
    states,
    writes: steps[draft.inStep?.step ?? ''] ?? {},
    brings: steps[backId] ?? {},
  };
}
