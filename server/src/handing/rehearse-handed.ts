import type { SourceRecord } from '@golden/connectors';
import {
  type Answer,
  type Effect,
  type HandedCounts,
  handedPiece,
  hopsOf,
  type ItemState,
  type JsonRecord,
  marksOf,
  startId,
  type WorkflowVersion,
  type WouldBecome,
} from '@golden/core';
import type { Workflow } from '../workflows.ts';

/** Of what one record would hand over so many are rehearsed on; the rest is only counted. */
const mostRehearsed = 200;
/** So many are shown by name. */
const mostShown = 50;

/** What a record came to in the workflow that it was handed over to. */
interface Reached {
  readonly title: string;
  readonly state: string;
  readonly message: string | null;
  readonly reached: ItemState;
}

/** What was handed over for one record while rehearsing, until its step asks what became of it. */
export interface RehearsedHanded {
  readonly answer: Answer;
  readonly back: (wants: Extract<Effect, { kind: 'handedBack' }>['wants']) => Answer;
}

/**
 * Takes what a record would hand over through the workflow that would take it in, in the same rehearsal: so that it is
 * seen there too before it happens.
 *
 * @param receiver - undefined where none takes it in any more
 * @param rehearse - takes one record through that workflow
 */
export async function rehearseHanded(
  version: WorkflowVersion,
  state: ItemState,
  { step, count }: Extract<Effect, { kind: 'handOver' }>,
  receiver: Pick<Workflow, 'draft'> | undefined,
  rehearse: (record: SourceRecord) => Promise<Reached>,
): Promise<RehearsedHanded> {
  const { records, passedOver, isList } = handedPiece(version, state, step, 0, count);
  const handed = isList ? count - passedOver : 1;
  const hops = hopsOf(state.values[startId]) + 1;
  const came: Reached[] = [];
  for (const { turn, record, problems } of receiver ? records.slice(0, mostRehearsed) : []) {
    const key = `${state.sourceId ?? ''}.${step}#${turn}`;
    const mark = { key, ...(problems.length > 0 && { asks: problems }) } as unknown as JsonRecord;
    const $arrival: JsonRecord = { id: key, at: state.takenAt, hops, handed: mark };
    came.push(await rehearse({ id: key, record: { ...record, $arrival } }));
  }
  const would = came.slice(0, mostShown).map(
    ({ title, state: ended, message, reached }): WouldBecome => ({
      title,
      state: ended as WouldBecome['state'],
      ...(message !== null && { message }),
      marks: [...marksOf(reached)],
    }),
  );
  return {
    answer: { kind: 'handed', count: handed, passedOver, ...(receiver && { would }) },
    back: (wants) => backOf(came, receiver?.draft.name ?? '', wants),
  };
}

function backOf(
  came: readonly Reached[],
  name: string,
  wants: Extract<Effect, { kind: 'handedBack' }>['wants'],
): Answer {
  const open = came.filter(({ state }) => state === 'unsettled');
  const [first] = open;
  // Really the record would wait for a person there: what comes after it isn't known.
  if (first)
    return {
      kind: 'refused',
      cause: 'unclear',
      message: `Handed over to ${name}, where ${open.length} would need you (${first.title}: ${first.message}).`,
    };
  const of = (state: string): number => came.filter((one) => one.state === state).length;
  const counts: HandedCounts = { delivered: of('delivered'), leftOut: of('left_out'), dropped: 0 };
  const records = came.map(({ state, reached }, at): JsonRecord => {
    const wrote = Object.fromEntries(
      Object.entries(reached.steps).flatMap(([step, result]) =>
        result.kind === 'written' ? [[step, { id: result.id, ...reached.values[step] }]] : [],
      ),
    ) as JsonRecord;
    return { number: at + 1, state: state.replace('_', ' '), wrote };
  });
  const told = { kind: 'handed_back', open: 0, unsettled: 0, message: '', counts } as const;
  if (wants === 'counts') return told;
  if (wants === 'each') return { ...told, each: records };
  const { number: _one, ...one } = records[0] ?? {};
  return { ...told, one };
}
