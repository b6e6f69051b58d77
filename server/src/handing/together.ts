import { isReady, type WorkflowContent } from '@golden/core';
import { OverdueAsked } from '../engine/errors.ts';
import { rehearsedFingerprint } from '../engine/rehearse.ts';
import type { Services } from '../services.ts';
import type { Workflow } from '../workflows.ts';
import { expectNoRound, type HandingEnd, handingAround, handsOverInto, takesHanded } from './receivers.ts';

/** A workflow at the other end, with what there is to know before one is switched on without the other. */
export interface EndToTell extends HandingEnd {
  /** It can be switched on, or made live, together with this one. */
  readonly mayGoOn: boolean;
  /** Required fields that it doesn't hand over, as it is live: whoever takes it in asks for each. */
  readonly lacks: readonly string[];
}

/** Both ends of handing over around a workflow, with what there is to know before it goes live. */
export async function endsToTell(
  services: Services,
  id: string,
): Promise<{ readonly to: EndToTell[]; readonly from: EndToTell[] }> {
  const { workflows } = services;
  const { draft } = await workflows.get(id);
  const { to, from } = await handingAround(services, id);
  const told = async (end: HandingEnd, lacks: readonly string[]): Promise<EndToTell> => {
    const other = await workflows.get(end.id);
    return { ...end, mayGoOn: other.liveVersion !== null || (await mayGoLive(services, other)), lacks };
  };
  return {
    to: await Promise.all(to.map((end) => told(end, []))),
    from: await Promise.all(from.map(async (end) => told(end, await lackingIn(services, end, draft)))),
  };
}

/** A draft that was rehearsed as it is can go live with the one that it belongs to. */
async function mayGoLive({ db }: Services, { id, draft }: Workflow): Promise<boolean> {
  if (!isReady(draft)) return false;
  const rehearsal = await db
    .selectFrom('rehearsal')
    .select(['state', 'fingerprint'])
    .where('workflow_id', '=', id)
    .executeTakeFirst();
  return rehearsal?.state === 'done' && rehearsal.fingerprint === rehearsedFingerprint(draft);
}

async function lackingIn(
  { workflows }: Services,
  { id, liveVersion }: HandingEnd,
  { start }: WorkflowContent,
): Promise<string[]> {
  if (liveVersion === null) return [];
  const { content } = await workflows.version(id, liveVersion);
  const inbox = start.source?.path[0];
  const steps = content.steps.filter(
    (step) => step.kind === 'hand_over' && !step.isOff && step.target?.path[0] === inbox,
  );
  const needed = (start.source?.described.fields ?? []).filter(({ required }) => required);
  const isFilled = (path: string): boolean =>
    steps.every((step) => step.kind !== 'hand_over' || step.mapping[path] !== undefined);
  return needed.filter(({ path }) => !isFilled(path)).map(({ label }) => label);
}

/** What became of one workflow of several that were to be switched. */
export interface Switched {
  readonly id: string;
  readonly name: string;
  /** Why it was left as it is; null where it was switched. */
  readonly why: string | null;
}

/** Switches workflows on, those that take in before those that hand over; one that can't be is left as it is, with why. */
export async function switchOnTogether(services: Services, ids: readonly string[]): Promise<Switched[]> {
  const { workflows, engine } = services;
  const wanted = await Promise.all(ids.map((id) => workflows.get(id)));
  const done: Switched[] = [];
  for (const one of receiversFirst(wanted)) {
    const { id, draft, liveVersion, isOn } = one;
    let why: string | null = null;
    try {
      if (liveVersion === null && !(await mayGoLive(services, one)))
        why = 'It has never been live: rehearse it, and make it live from there.';
      else if (liveVersion === null) {
        await expectNoRound(services, id);
        await engine.makeLive(id);
      } else if (!isOn) await engine.switchOn(id);
    } catch (error) {
      why =
        error instanceof OverdueAsked
          ? 'Some of its records are overdue: switch it on by itself, and say what becomes of them.'
          : said(services, error);
    }
    done.push({ id, name: draft.name, why });
  }
  return done;
}

/** Switches all that are on in a folder off; what waits there is held. */
export async function switchOffTogether(services: Services, ids: readonly string[]): Promise<Switched[]> {
  const { workflows, engine } = services;
  const wanted = await Promise.all(ids.map((id) => workflows.get(id)));
  // Nothing is handed over any more before whoever takes it in stops.
  for (const { id, isOn } of receiversFirst(wanted).reverse()) if (isOn) await engine.switchOff(id);
  return wanted.map(({ id, draft }) => ({ id, name: draft.name, why: null }));
}

const said = ({ redaction }: Services, error: unknown): string =>
  redaction.clean(error instanceof Error ? error.message : String(error));

/** Workflows in an order in which each comes after all that it hands over to. */
function receiversFirst(all: readonly Workflow[]): Workflow[] {
  const byInbox = new Map(all.flatMap((one) => [[takesHanded(one.draft) ?? '', one] as const]));
  const ordered = new Set<Workflow>();
  const add = (one: Workflow, above: ReadonlySet<Workflow>): void => {
    if (ordered.has(one) || above.has(one)) return;
    for (const inbox of handsOverInto(one.draft)) {
      const receiver = byInbox.get(inbox);
      if (receiver) add(receiver, new Set([...above, one]));
    }
    ordered.add(one);
  };
  for (const one of all) add(one, new Set());
  return [...ordered];
}
