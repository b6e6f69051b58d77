import type { Services } from '../services.ts';

/**
 * A screen that reads the records anew whenever it is told that one has changed. What it gives says whether it still
 * shows what there is: false where something has changed since it was asked last, and nobody told.
 */
export function screenOf({ db, events }: Pick<Services, 'db' | 'events'>): () => Promise<boolean> {
  let isTold = true;
  let shown = '';
  events.listen(({ topic }) => {
    if (topic === 'item') isTold = true;
  });
  return async () => {
    const items = await db.selectFrom('item').select(['id', 'state', 'message']).orderBy('seq').execute();
    const now = JSON.stringify(items);
    const isTrue = isTold || now === shown;
    isTold = false;
    shown = now;
    return isTrue;
  };
}
