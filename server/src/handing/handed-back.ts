import type { Answer, Effect, HandedCounts, ItemState, ItemStateName, JsonRecord } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';

/** Where something that was handed over stands: not taken in yet, or as its item does. */
export type HandedState = 'handed' | ItemStateName;

/** States in which it has not come to its end. */
export const openStates: readonly HandedState[] = ['handed', 'running', 'waiting', 'unsettled'];

/** How many of what one step of an item handed over stand where. */
export async function handedStates(
  db: Db | Trx,
  itemId: string,
  step: string,
): Promise<Partial<Record<HandedState, number>>> {
  const rows = await db
    .selectFrom('handed')
    .select((eb) => ['state', eb.fn.countAll<number>().as('count')])
    .where('parent_id', '=', itemId)
    .where('step', '=', step)
    .groupBy('state')
    .execute();
  return Object.fromEntries(rows.map(({ state, count }) => [state, count]));
}

/** What has become of what an item handed over, as its step asks for it. */
export async function handedBack(
  db: Db,
  itemId: string,
  { step, wants, target }: Extract<Effect, { kind: 'handedBack' }>,
): Promise<Answer> {
  const states = await handedStates(db, itemId, step);
  const of = (...names: readonly HandedState[]): number => names.reduce((sum, name) => sum + (states[name] ?? 0), 0);
  const open = of(...openStates);
  const counts: HandedCounts = {
    delivered: of('delivered'),
    leftOut: of('left_out'),
    dropped: of('dismissed', 'cancelled', 'undone'),
  };
  if (open > 0)
    return {
      kind: 'handed_back',
      open,
      counts,
      message: await whyOpen(db, itemId, { step, inbox: target.path[0] ?? '' }, states),
      unsettled: of('unsettled'),
    };
  const told = { kind: 'handed_back', open, counts, message: '', unsettled: 0 } as const;
  if (wants === 'counts') return told;
  const rows = await db
    .selectFrom('handed')
    .leftJoin('item', 'item.id', 'handed.child_id')
    .select(['handed.turn', 'handed.state', 'item.item_state'])
    .where('parent_id', '=', itemId)
    .where('handed.step', '=', step)
    .orderBy('handed.turn')
    .execute();
  const records = rows.map(({ turn, state, item_state }): JsonRecord => {
    const wrote = item_state === null ? {} : wroteIn(JSON.parse(item_state) as ItemState);
    return { number: turn, state: stateWords[state], wrote };
  });
  if (wants === 'each') return { ...told, each: records };
  const { number: _one, ...one } = records[0] ?? {};
  return { ...told, one };
}

/** What became of it, as a person says it. */
const stateWords: Readonly<Record<HandedState, string>> = {
  handed: 'on its way',
  running: 'on its way',
  waiting: 'waiting',
  unsettled: 'needs you',
  delivered: 'delivered',
  left_out: 'left out',
  dismissed: 'dismissed',
  cancelled: 'cancelled',
  undone: 'undone',
};

/** What was written of a record, by the steps of its workflow. */
function wroteIn({ values, steps }: ItemState): JsonRecord {
  const wrote: Record<string, JsonRecord> = {};
  for (const [step, result] of Object.entries(steps))
    if (result.kind === 'written') wrote[step] = { id: result.id, ...values[step] };
  return wrote;
}

/** "3 handed over to Accounts: 1 needs you (The user name is taken.), 2 on their way". */
async function whyOpen(
  db: Db,
  itemId: string,
  { step, inbox }: { readonly step: string; readonly inbox: string },
  states: Partial<Record<HandedState, number>>,
): Promise<string> {
  const { name } = (await db.selectFrom('inbox').select('name').where('id', '=', inbox).executeTakeFirst()) ?? {
    name: '',
  };
  const all = Object.values(states).reduce((sum, count) => sum + count, 0);
  const { handed = 0, running = 0, waiting = 0, unsettled = 0 } = states;
  const first =
    unsettled === 0
      ? undefined
      : await db
          .selectFrom('handed')
          .innerJoin('item', 'item.id', 'handed.child_id')
          .select(['item.title', 'item.message'])
          .where('handed.parent_id', '=', itemId)
          .where('handed.step', '=', step)
          .where('handed.state', '=', 'unsettled')
          .orderBy('handed.turn')
          .executeTakeFirst();
  const onTheirWay = handed + running;
  const parts = [
    ...(unsettled > 0
      ? [`${unsettled} ${unsettled === 1 ? 'needs' : 'need'} you (${first?.title}: ${first?.message})`]
      : []),
    ...(waiting > 0 ? [`${waiting} ${waiting === 1 ? 'waits' : 'wait'} there`] : []),
    ...(onTheirWay > 0 ? [`${onTheirWay} on the way`] : []),
  ];
  return `${all === 1 ? 'Handed' : `${all} handed`} over to ${name}: ${parts.join(', ')}.`;
}

/** Whether a step of an item, that waits for what it handed over, has something new to look at. */
export async function hasNewsOfHanded(trx: Trx, itemId: string, step: string, unsettled: number): Promise<boolean> {
  const states = await handedStates(trx, itemId, step);
  const isOpen = openStates.some((state) => (states[state] ?? 0) > 0);
  return !isOpen || (states.unsettled ?? 0) !== unsettled;
}
