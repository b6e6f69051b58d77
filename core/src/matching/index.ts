export { type BlockingPass, Candidates, type PassFigures } from './blocking.ts';
export { calibrationGap } from './calibrate.ts';
export { type ClusterOptions, cluster } from './cluster.ts';
export * from './decide.ts';
export {
  type Duplicates,
  findDuplicates,
  groupsOf,
  runSearch,
  type SearchFigures,
  type SearchOptions,
  type SearchProgress,
} from './find-duplicates.ts';
export { type FieldKind, FieldKindSchema, kindLabels } from './kinds.ts';
export { fixedModel, learnModel } from './learn.ts';
export type { Bearing, Comparison, Level } from './levels.ts';
export { exactKey } from './lookup/exact-key.ts';
export { kindOfField } from './lookup/kind-of-field.ts';
export * from './lookup/ladder.ts';
export {
  type IndexField,
  MatchIndex,
  type Proposal,
  type StoredIndex,
  type Texts,
  type Weighed,
} from './lookup/match-index.ts';
export { isOfFirms, proposeLadder, proposeRungs } from './lookup/propose.ts';
export {
  type DecidedEvidence,
  type WeightChange,
  weightChanges,
  weightsFromDecisions,
} from './lookup/weights-from-decisions.ts';
export { type Matches, matchTables } from './match-tables.ts';
export { type LevelChances, type MatchModel, Weigher } from './model.ts';
export { type FieldSample, type KindProposal, proposeKinds } from './propose-kinds.ts';
export * from './survivorship.ts';
export { type MatchField, MatchTable, type Subject, subjectOf } from './table.ts';
export { type WeighedPair, WeighedPairs } from './weighed-pairs.ts';
