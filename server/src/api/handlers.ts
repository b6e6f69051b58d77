import type { Services } from '../services.ts';
import type { Handlers } from './endpoint.ts';
import { buildingHandlers } from './handlers/building.ts';
import { connectionHandlers } from './handlers/connections.ts';
import { matchingHandlers } from './handlers/matching.ts';
import { runHandlers } from './handlers/runs.ts';
import { workflowHandlers } from './handlers/workflows.ts';
import { workspaceHandlers } from './handlers/workspace.ts';
import type { Routes } from './routes.ts';

/** What every route does; the rules live in core and the engine. */
export function makeHandlers(services: Services): Handlers<Routes> {
  return {
    ...workspaceHandlers(services),
    ...connectionHandlers(services),
    ...workflowHandlers(services),
    ...buildingHandlers(services),
    ...runHandlers(services),
    ...matchingHandlers(services),
  };
}
