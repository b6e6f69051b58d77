import type { GivenAnswer } from '../../asking/answer.ts';
import { openAsks } from '../../asking/asks.ts';
import { nameOfAsk } from '../../asking/letters.ts';
import { openGroups } from '../../asking/open-groups.ts';
import type { Services } from '../../services.ts';
import type { Handlers } from '../endpoint.ts';
import type { askingRoutes } from './routes.ts';

/** Rows that are shown at once; the others come once these are answered. */
const mostRows = 200;

/** How somebody is called who answers in the product itself. */
const here = 'a person in Golden Relay';

/** What people are asked, and their answers. */
export function askingHandlers({ db, workflows, answers }: Services) {
  return {
    'GET /api/asks': () => openGroups({ db, workflows }),
    'GET /api/workflows/:id/asks/:step': async ({ params: { id, step } }) => {
      const { asks, total } = await openAsks(db, { workflowId: id, step }, mostRows);
      const rows = asks.map(({ itemId, workflowId: _workflow, ...row }) => ({ id: itemId, ...row }));
      return { ...(await nameOfAsk(workflows, id, step)), total, rows };
    },
    'POST /api/asks': async ({ body }) => {
      const results = await answers.take(body.answers as readonly GivenAnswer[], here);
      return {
        results: results.map((one) => (one.state === 'unfit' ? { ...one, problems: [...one.problems] } : one)),
      };
    },
  } satisfies Handlers<typeof askingRoutes>;
}
