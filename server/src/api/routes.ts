import { askingRoutes } from './asking/routes.ts';
import { attachmentsRoutes } from './attachments/routes.ts';
import { buildingRoutes } from './building/routes.ts';
import { connectionsRoutes } from './connections/routes.ts';
import { consentRoutes } from './consent/routes.ts';
import { documentsRoutes } from './documents/routes.ts';
import { doorsRoutes } from './doors/routes.ts';
import { duplicatesRoutes } from './duplicates/routes.ts';
import { filesRoutes } from './files/routes.ts';
import { formsRoutes } from './forms/routes.ts';
import { handingRoutes } from './handing/routes.ts';
import { inStepRoutes } from './in-step/routes.ts';
import { linksRoutes } from './links/routes.ts';
import { mailDoorRoutes } from './mail-doors/routes.ts';
import { matchingRoutes } from './matching/routes.ts';
import { onboardingRoutes } from './onboarding/routes.ts';
import { reconcileRoutes } from './reconcile/routes.ts';
import { recordsRoutes } from './records/routes.ts';
import { runsRoutes } from './runs/routes.ts';
import { tellingRoutes } from './telling/routes.ts';
import { textTemplatesRoutes } from './text-templates/routes.ts';
import { undoRoutes } from './undo/routes.ts';
import { waitingRoutes } from './waiting/routes.ts';
import { workflowsRoutes } from './workflows/routes.ts';
import { workspaceRoutes } from './workspace/routes.ts';

/** Every route of the interface, declared once with its feature. */
export const routes = {
  ...workspaceRoutes,
  ...connectionsRoutes,
  ...workflowsRoutes,
  ...buildingRoutes,
  ...runsRoutes,
  ...matchingRoutes,
  ...linksRoutes,
  ...duplicatesRoutes,
  ...reconcileRoutes,
  ...recordsRoutes,
  ...undoRoutes,
  ...inStepRoutes,
  ...onboardingRoutes,
  ...doorsRoutes,
  ...mailDoorRoutes,
  ...filesRoutes,
  ...formsRoutes,
  ...handingRoutes,
  ...askingRoutes,
  ...attachmentsRoutes,
  ...documentsRoutes,
  ...textTemplatesRoutes,
  ...waitingRoutes,
  ...tellingRoutes,
  ...consentRoutes,
};
export type Routes = typeof routes;
