export { makeApi } from './api/app.ts';
export { copyBetween } from './building/copies.ts';
export { exportWorkflow, workflowFileJsonSchema } from './building/files.ts';
export { makeDoor } from './doors/door-app.ts';
export { DoorLimits } from './doors/limits.ts';
export { type KillPoint, killPoints, realSeams, type Seams } from './seams.ts';
export { masterKey } from './secrets/sealing.ts';
export { makeServices, type ServiceOptions, type Services } from './services.ts';
export { type Settings, saveSettings } from './settings.ts';
