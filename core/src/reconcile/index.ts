export { type Compared, Comparison, type Difference, type MadeThere } from './compared.ts';
export { type Equality, equalities, formOf, proposeEquality, type ReadWhere } from './equality.ts';
export { addsUp, figuresOf, type ReconcileFigures } from './figures.ts';
export {
  type Group,
  type Pair,
  type Reconciled,
  Reconciler,
  type Rung as ReconcileRung,
  type Side,
} from './reconciler.ts';
export * from './setting.ts';
