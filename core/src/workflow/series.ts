import { durationText } from '../calendar/duration.ts';
import type { Around } from '../steps/definition.ts';
import { asksOnlyIf } from '../steps/placed/only-if.ts';
import { type Step, withinOf } from '../steps/schemas.ts';
import { endingPhrases, endingsIn } from '../steps/wait/definition.ts';
import type { WaitStep } from '../steps/wait/schema.ts';
import { addressed } from '../steps/write/definition.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { type Phrase, strong, words } from './phrase.ts';
import { aroundWorkflow } from './references.ts';
import type { WorkflowContent } from './schema.ts';

// Messages with waits between them are read as one: to whom they go, when each of them goes, and what ends it.

/** One message of a series. */
export interface SeriesMessage {
  /** Its step, and the waits right before it, each with what it waits for: "after 1 working day", "2 days later". */
  readonly step: string;
  readonly waits: readonly { readonly step: string; readonly when: string }[];
  /** What it is called: its own name, else its number. */
  readonly name: string;
  readonly isOff: boolean;
  /** Whether it goes to some of them only. */
  readonly isForSome: boolean;
}

/** Steps beside each other that read as one sentence. */
export interface Series {
  /** All of its steps in their order, the first of them a wait or a message. */
  readonly steps: readonly string[];
  readonly phrases: readonly Phrase[];
  readonly messages: readonly SeriesMessage[];
  /** What ends it early. */
  readonly endings: readonly Phrase[];
}

/** The series of a workflow: two messages or more that go out with a wait between them. */
export function seriesOf(content: WorkflowContent): Series[] {
  const found: Series[] = [];
  let run: (WaitStep | WriteStep)[] = [];
  const close = (): void => {
    const series = asSeries(run, content);
    if (series) found.push(series);
    run = [];
  };
  for (const step of content.steps) {
    if (!belongs(step)) close();
    else run.push(step);
  }
  close();
  return found;
}

/** A wait or a message that isn't done for each of something. */
function belongs(step: Step): step is WaitStep | WriteStep {
  if (withinOf(step) !== undefined) return false;
  return step.kind === 'wait' || (step.kind === 'write' && step.target?.described.sentTo !== undefined);
}

function asSeries(run: readonly (WaitStep | WriteStep)[], content: WorkflowContent): Series | undefined {
  // A wait after the last message belongs to what comes then.
  const end = run.findLastIndex(({ kind }) => kind === 'write');
  const steps = run.slice(0, end + 1);
  const messages = steps.filter((step) => step.kind === 'write');
  const first = steps.findIndex(({ kind }) => kind === 'write');
  if (messages.length < 2 || !steps.slice(first).some(({ kind }) => kind === 'wait')) return undefined;
  const around = aroundWorkflow(content);
  const waits: WaitStep[] = [];
  const points: SeriesMessage[] = [];
  for (const step of steps) {
    if (step.kind === 'wait') {
      waits.push(step);
      continue;
    }
    points.push({
      step: step.id,
      waits: waits.map((wait) => ({ step: wait.id, when: whenText(wait, around) })),
      name: step.name ?? `message ${points.length + 1}`,
      isOff: step.isOff === true,
      isForSome: asksOnlyIf(step),
    });
    waits.length = 0;
  }
  const plurals = [...new Set(messages.map(({ target }) => target?.described.plural ?? ''))];
  const whom = sameFor(messages, (message) => addressed(message, around));
  const isFromStart = steps.every(
    (step) => step.kind !== 'wait' || (step.until.kind === 'time' && step.until.from === 'start'),
  );
  const isNews = messages.every(({ purpose }) => purpose === 'news');
  const endings = endingsIn(steps).flatMap((one) => endingPhrases(one));
  return {
    steps: steps.map(({ id }) => id),
    phrases: [
      words('Send '),
      strong(`${messages.length} ${plurals.length === 1 ? plurals[0] : 'messages'}`),
      ...whom,
      words(`${isNews ? ', as news' : ''}, ${isFromStart ? 'each counted from the start' : 'one after the other'}.`),
    ],
    messages: points,
    endings,
  };
}

/** What is the same for all of them; nothing where it isn't. */
function sameFor(messages: readonly WriteStep[], of: (message: WriteStep) => Phrase[]): Phrase[] {
  const all = messages.map((message) => of(message));
  const texts = new Set(all.map((one) => JSON.stringify(one)));
  return texts.size === 1 ? (all[0] ?? []) : [];
}

function whenText({ until, isOff }: WaitStep, around: Pick<Around, 'nameOf'>): string {
  if (isOff) return 'not waited';
  switch (until.kind) {
    case 'time':
      return until.from === 'step' ? `${durationText(until)} later` : `after ${durationText(until)}`;
    case 'time_of_day':
      return `at ${until.at}${until.onWorkingDays ? ' on a working day' : ''}`;
    case 'date': {
      const date = until.ref ? around.nameOf(until.ref) : 'a date';
      return until.amount === 0 ? `on ${date}` : `${durationText(until)} ${until.side} ${date}`;
    }
  }
}
