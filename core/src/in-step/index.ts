export { withConsents } from './consents.ts';
export { type Counterparts, counterparts } from './counterparts.ts';
export { type FieldInStep, fieldsInStep } from './fields.ts';
export { backId, type Legs, NotAPair } from './legs.ts';
export { proposeBack } from './propose.ts';
export { removalOf } from './removal.ts';
export * from './setting.ts';
export { unwoven, weave } from './weave.ts';
