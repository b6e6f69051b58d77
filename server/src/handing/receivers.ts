import type { WorkflowContent, WorkflowVersion } from '@golden/core';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Workflow } from '../workflows.ts';

// Which workflow hands over to which: known by the inbox that the one writes into and the other begins with.

/** Where workflows are looked up. */
interface Looking {
  readonly db: Db;
  readonly workflows: {
    list(): Promise<Workflow[]>;
    version(id: string, number: number): Promise<WorkflowVersion>;
    readableVersion(id: string, number: number): Promise<WorkflowVersion | undefined>;
    draftVersion(id: string): Promise<WorkflowVersion>;
  };
}

/** The inbox that a workflow begins with, where others hand over to it. */
export const takesHanded = ({ start }: Pick<WorkflowContent, 'start'>): string | undefined =>
  start.trigger.kind === 'handed' ? start.source?.path[0] : undefined;

/** The inboxes into which a content hands over; steps that are off don't. */
export function handsOverInto({ steps }: Pick<WorkflowContent, 'steps'>): string[] {
  const inboxes = steps.flatMap((step) => {
    const inbox = step.kind === 'hand_over' && !step.isOff ? step.target?.path[0] : undefined;
    return inbox === undefined ? [] : [inbox];
  });
  return [...new Set(inboxes)];
}

/** A workflow at one end of handing over. */
export interface HandingEnd {
  readonly id: string;
  readonly name: string;
  readonly isOn: boolean;
  readonly liveVersion: number | null;
}

const endOf = ({ id, draft, isOn, liveVersion }: Workflow): HandingEnd => ({ id, name: draft.name, isOn, liveVersion });

/** The workflow that takes in what comes to an inbox; undefined where none does any more. */
export async function receiverOf({ workflows }: Looking, inbox: string): Promise<Workflow | undefined> {
  return (await workflows.list()).find(({ draft }) => takesHanded(draft) === inbox);
}

/** How a workflow takes in what is handed over: as it is live, else as its draft would. */
export async function receivingVersion(
  { workflows }: Looking,
  { id, liveVersion }: Pick<Workflow, 'id' | 'liveVersion'>,
): Promise<WorkflowVersion> {
  const live = liveVersion === null ? undefined : await workflows.readableVersion(id, liveVersion);
  return live ?? workflows.draftVersion(id);
}

/** Both ends around one workflow. */
export interface HandingAround {
  /** Those that it hands over to, as its draft is. */
  readonly to: readonly HandingEnd[];
  /** Those that hand over to it, by their drafts or live versions. */
  readonly from: readonly HandingEnd[];
}

/** Which workflows a workflow hands over to, and which hand over to it. */
export async function handingAround({ workflows }: Looking, id: string): Promise<HandingAround> {
  const all = await workflows.list();
  const here = all.find((one) => one.id === id);
  if (!here) return { to: [], from: [] };
  const into = new Set(handsOverInto(here.draft));
  const own = takesHanded(here.draft);
  const from: HandingEnd[] = [];
  for (const other of own === undefined ? [] : all) {
    if (other.id === id) continue;
    const live = other.liveVersion === null ? undefined : await workflows.readableVersion(other.id, other.liveVersion);
    const contents = [other.draft, ...(live ? [live.content] : [])];
    if (contents.some((content) => handsOverInto(content).includes(own as string))) from.push(endOf(other));
  }
  const to = all.filter(({ draft }) => {
    const inbox = takesHanded(draft);
    return inbox !== undefined && into.has(inbox);
  });
  return { to: to.map(endOf), from };
}

/**
 * What a workflow sets going in others: those that it hands over to, and those that begin after it. Of the one that
 * is looked at its draft counts, of the others what is live, and what their drafts would be.
 */
async function setsGoing(
  { db, workflows }: Looking,
  all: readonly Workflow[],
): Promise<Map<string, ReadonlySet<string>>> {
  const relays = await db.selectFrom('relay').select(['inbox_id', 'workflow_id']).execute();
  const beginsWith = new Map<string, string>();
  for (const { id, draft } of all) {
    const inbox = draft.start.source?.path[0];
    if (inbox !== undefined) beginsWith.set(inbox, id);
  }
  const going = new Map<string, ReadonlySet<string>>();
  for (const { id, draft, liveVersion } of all) {
    const live = liveVersion === null ? undefined : await workflows.readableVersion(id, liveVersion);
    const inboxes = [
      ...handsOverInto(draft),
      ...(live ? handsOverInto(live.content) : []),
      ...relays.filter((relay) => relay.workflow_id === id).map(({ inbox_id }) => inbox_id),
    ];
    going.set(id, new Set(inboxes.flatMap((inbox) => beginsWith.get(inbox) ?? [])));
  }
  return going;
}

/**
 * Workflows that hand over to each other, or begin after each other, must not go round in a circle.
 *
 * @throws NotPossible with the circle
 */
export async function expectNoRound(looking: Looking, id: string): Promise<void> {
  const all = await looking.workflows.list();
  const round = roundFrom(await setsGoing(looking, all), id, id);
  if (!round) return;
  const names = new Map(all.map((one) => [one.id, one.draft.name]));
  const way = round.map((one) => names.get(one) ?? one).join(' → ');
  throw new NotPossible(`These workflows would set each other going without end: ${way}.`);
}

/** The workflows to which a workflow can hand over without going round, and those to which it can't. */
export async function whereToHandOver(
  looking: Looking,
  id: string,
): Promise<
  readonly { readonly id: string; readonly name: string; readonly inbox: string; readonly isRound: boolean }[]
> {
  const all = await looking.workflows.list();
  const going = await setsGoing(looking, all);
  return all.flatMap(({ id: other, draft }) => {
    const inbox = takesHanded(draft);
    if (inbox === undefined || other === id) return [];
    return [{ id: other, name: draft.name, inbox, isRound: roundFrom(going, other, id) !== undefined }];
  });
}

/** A way from one workflow to another over what each sets going. */
function roundFrom(going: ReadonlyMap<string, ReadonlySet<string>>, from: string, to: string): string[] | undefined {
  const seen = new Set<string>();
  const go = (at: string, way: readonly string[]): string[] | undefined => {
    for (const next of going.get(at) ?? []) {
      if (next === to) return [...way, at, next];
      if (seen.has(next)) continue;
      seen.add(next);
      const found = go(next, [...way, at]);
      if (found) return found;
    }
    return undefined;
  };
  return go(from, []);
}
