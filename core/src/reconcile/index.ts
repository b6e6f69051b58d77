export { type Compared, type FieldDifference, type MadeThere, RecordComparison } from './compared.ts';
export { type Equality, equalities, equalityLabels, formOf, proposeEquality, type ReadWhere } from './equality.ts';
export { addsUp, figuresOf, type ReconcileFigures } from './figures.ts';
export {
  type Pair,
  type Reconciled,
  Reconciler,
  type RecordGroup,
  type Rung as ReconcileRung,
  type Side,
} from './reconciler.ts';
export * from './repair.ts';
export * from './setting.ts';
