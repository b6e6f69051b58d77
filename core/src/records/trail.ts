import { layOut } from '../run/lay-out.ts';
import type { Decision, ItemState } from '../run/state.ts';
import type { StepResult } from '../steps/results.ts';
import { isPlaced, type Step } from '../steps/schemas.ts';
import { plainStepId } from '../steps/turn.ts';
import { toText } from '../values/value.ts';
import type { WorkflowContent } from '../workflow/schema.ts';

/** How an entry of a trail is to be taken: as it should be, put aside, in need of a person, not over yet, undone. */
export type TrailTone = 'plain' | 'left_out' | 'needs_you' | 'waiting' | 'undone';

/** One thing that happened to a record, in a sentence. */
export interface TrailEntry {
  /** The instant. */
  readonly at: string;
  readonly text: string;
  readonly tone: TrailTone;
}

/** What is known of an item besides its state. */
export interface TrailItem {
  readonly takenAt: string;
  readonly endedAt: string | null;
  readonly version: number;
  readonly itemState: string;
  readonly message: string | null;
  readonly state: ItemState;
  readonly content: WorkflowContent;
  /** What an app is called, by its connection. */
  readonly appOf: (connection: string) => string;
  /** When the write of a step was done. */
  readonly writtenAt: Readonly<Record<string, string>>;
  readonly decisions: readonly { readonly at: string; readonly decision: Decision }[];
  readonly journal: readonly { readonly at: string; readonly kind: string }[];
}

const readBackWords = {
  as_sent: ', read back as sent',
  altered: ', read back in the app’s own writing',
  cut: ', read back cut',
  different: ', read back otherwise than sent',
  not_read: '',
} as const;

/** What happened to one item, the oldest first. */
export function trailOfItem(item: TrailItem): TrailEntry[] {
  const { takenAt, endedAt, version, content, state } = item;
  const source = content.start.source ? item.appOf(content.start.source.connection) : 'somewhere';
  const entries: TrailEntry[] = [
    { at: takenAt, text: `Taken in from ${source}, by “${content.name}”, version ${version}.`, tone: 'plain' },
  ];
  let at = takenAt;
  for (const { id, step } of layOut(content, state.values)) {
    const result = state.steps[id];
    if (!result) continue;
    // A step without a write of its own happened with the one before it.
    at = item.writtenAt[id] ?? at;
    const told = sentenceOf(step, result, item);
    if (told) entries.push({ at, ...told });
  }
  for (const { at: when, decision } of item.decisions)
    entries.push({ at: when, text: decisionWords(decision, content, item), tone: 'plain' });
  for (const { at: when, kind } of item.journal)
    if (kind === 'taken_back') entries.push({ at: when, text: 'Taken back.', tone: 'undone' });
  const last = endingOf(item);
  if (last) entries.push({ at: endedAt ?? at, ...last });
  // What happened at the same instant stays in the order of the steps.
  return entries
    .map((entry, order) => ({ entry, order }))
    .sort((one, other) => one.entry.at.localeCompare(other.entry.at) || one.order - other.order)
    .map(({ entry }) => entry);
}

/** A reason as the end of a sentence; some are sentences themselves. */
const ended = (reason: string): string => (/[.!?]$/.test(reason) ? reason : `${reason}.`);

type Told = Omit<TrailEntry, 'at'>;

function sentenceOf(step: Step, result: StepResult, item: TrailItem): Told | undefined {
  const app = isPlaced(step) && step.target ? item.appOf(step.target.connection) : '';
  switch (result.kind) {
    case 'left_out':
      return { text: `Left out: ${ended(result.why)}`, tone: 'left_out' };
    case 'found':
      return { text: `Found in ${app}: ${result.title || result.id}${sureness(result.by)}.`, tone: 'plain' };
    case 'not_found':
      return { text: `Not found in ${app}: ${ended(result.why)}`, tone: 'plain' };
    case 'not_sent':
      return { text: `Nothing was sent by ${app}: ${ended(result.why)}`, tone: 'left_out' };
    case 'passed_over':
      return { text: `Not done in ${app || 'this step'}, by “only if”: ${ended(result.why)}`, tone: 'left_out' };
    case 'written':
      return { text: writtenWords(result, app), tone: 'plain' };
    case 'approved':
      return { text: 'Approved.', tone: 'plain' };
    case 'denied':
      return { text: 'Not approved.', tone: 'left_out' };
    case 'handed':
      return { text: 'Handed over to another workflow.', tone: 'plain' };
    case 'waited':
      return { text: 'The wait is over.', tone: 'plain' };
    case 'unsettled':
      return { text: `Needs you${app ? `, in ${app}` : ''}: ${result.message}`, tone: 'needs_you' };
    default:
      return undefined;
  }
}

function writtenWords(result: Extract<StepResult, { kind: 'written' }>, app: string): string {
  const read = readBackWords[result.readBack];
  if (result.outcome === 'new') return `Made in ${app}: ${result.id}${read}.`;
  if (result.outcome === 'removed') return `Removed in ${app} for good: ${result.id}.`;
  if (result.outcome === 'same') return `The same in ${app} already: ${result.id}.`;
  if (result.changedFields) return `Changed in ${app} (${result.id}): ${result.changedFields.join(', ')}${read}.`;
  const changes = result.changes
    .slice(0, 4)
    .map(({ label, before, after }) => `${label} from ${valueWords(before)} to ${valueWords(after)}`);
  const more = result.changes.length > changes.length ? ` and ${result.changes.length - changes.length} more` : '';
  return `Changed in ${app} (${result.id}): ${changes.join('; ')}${more}${read}.`;
}

const valueWords = (value: Parameters<typeof toText>[0]): string => {
  const text = toText(value);
  return text === '' ? 'empty' : `“${text.length > 60 ? `${text.slice(0, 59)}…` : text}”`;
};

const sureness = (by: { readonly how?: string; readonly probability?: number | undefined } | undefined): string =>
  by?.probability === undefined ? '' : `, ${Math.floor(by.probability * 100 + 1e-9)} % sure`;

function decisionWords(decision: Decision, content: WorkflowContent, item: TrailItem): string {
  const step = 'step' in decision ? content.steps.find(({ id }) => id === plainStepId(decision.step)) : undefined;
  const app = step && isPlaced(step) && step.target ? ` in ${item.appOf(step.target.connection)}` : '';
  switch (decision.kind) {
    case 'retry':
      return 'Somebody had it tried again.';
    case 'send_again':
      return `Somebody had it sent again${app}.`;
    case 'set':
      return `Somebody set ${Object.keys(decision.values).length === 1 ? 'a value' : `${Object.keys(decision.values).length} values`}${app}.`;
    case 'choose':
      return `Somebody said that it is ${decision.id}${app}.`;
    case 'new':
      return `Somebody said that it is a new one${app}.`;
    case 'leave_gone':
      return `Somebody said that it stays deleted${app}.`;
    case 'remove':
      return `Somebody said that it is removed${app}.`;
    case 'accept':
      return `Somebody took what stands${app} as it is.`;
    case 'dismiss':
      return `Dismissed: ${ended(decision.reason)}`;
  }
}

/** How it stands now, where that isn't told by its steps already. */
function endingOf({ itemState, message }: TrailItem): Told | undefined {
  switch (itemState) {
    case 'waiting':
      return { text: `Waiting: ${ended(message ?? 'it goes on by itself')}`, tone: 'waiting' };
    case 'cancelled':
      return { text: 'Cancelled.', tone: 'undone' };
    case 'running':
      return { text: 'On its way.', tone: 'waiting' };
    default:
      return undefined;
  }
}
