import type { Services } from '../services.ts';
import { askingHandlers } from './asking/handlers.ts';
import { attachmentsHandlers } from './attachments/handlers.ts';
import { buildingHandlers } from './building/handlers.ts';
import { connectionHandlers } from './connections/handlers.ts';
import { consentHandlers } from './consent/handlers.ts';
import { documentsHandlers } from './documents/handlers.ts';
import { doorHandlers } from './doors/handlers.ts';
import { duplicatesHandlers } from './duplicates/handlers.ts';
import type { Handlers } from './endpoint.ts';
import { fileHandlers } from './files/handlers.ts';
import { formsHandlers } from './forms/handlers.ts';
import { handingHandlers } from './handing/handlers.ts';
import { inStepHandlers } from './in-step/handlers.ts';
import { linksHandlers } from './links/handlers.ts';
import { mailDoorHandlers } from './mail-doors/handlers.ts';
import { matchingHandlers } from './matching/handlers.ts';
import { onboardingHandlers } from './onboarding/handlers.ts';
import { reconcileHandlers } from './reconcile/handlers.ts';
import { recordsHandlers } from './records/handlers.ts';
import type { Routes } from './routes.ts';
import { runHandlers } from './runs/handlers.ts';
import { tellingHandlers } from './telling/handlers.ts';
import { textTemplatesHandlers } from './text-templates/handlers.ts';
import { undoHandlers } from './undo/handlers.ts';
import { waitingHandlers } from './waiting/handlers.ts';
import { workflowHandlers } from './workflows/handlers.ts';
import { workspaceHandlers } from './workspace/handlers.ts';

/** What every route does; the rules live in core and the engine. */
export function makeHandlers(services: Services): Handlers<Routes> {
  return {
    ...workspaceHandlers(services),
    ...onboardingHandlers(services),
    ...connectionHandlers(services),
    ...workflowHandlers(services),
    ...buildingHandlers(services),
    ...runHandlers(services),
    ...matchingHandlers(services),
    ...formsHandlers(services),
    ...handingHandlers(services),
    ...linksHandlers(services),
    ...duplicatesHandlers(services),
    ...reconcileHandlers(services),
    ...recordsHandlers(services),
    ...undoHandlers(services),
    ...inStepHandlers(services),
    ...doorHandlers(services),
    ...mailDoorHandlers(services),
    ...fileHandlers(services),
    ...askingHandlers(services),
    ...attachmentsHandlers(services),
    ...documentsHandlers(services),
    ...textTemplatesHandlers(services),
    ...waitingHandlers(services),
    ...tellingHandlers(services),
    ...consentHandlers(services),
  };
}
