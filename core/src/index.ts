// The public face of the computation. Inside core, files import each other directly.
export * from './calendar/calendar.ts';
export * from './calendar/duration.ts';
export { addOpenTime, addWorkingDays, atLocal, dateOf, NeverOpen, nextOpen, openOn } from './calendar/working-time.ts';
export * from './conditions/condition.ts';
export * from './conditions/evaluate.ts';
export * from './consent/index.ts';
export * from './documents/index.ts';
export { type CheckedFormula, checkFormula, type KnownName, staticTypeOf } from './formula/check.ts';
export { evaluateFormula } from './formula/formula.ts';
export {
  argumentCounts,
  type FormulaFunction,
  fieldTypeOf,
  parameterAt,
  type StaticType,
  signatureOf,
} from './formula/function.ts';
export { formulaFunctions, functionNamed } from './formula/functions/index.ts';
export * from './formula/spelling.ts';
export {
  callAt,
  type FormulaIssue,
  type FormulaToken,
  namesIn,
  parseFormula,
  quoteName,
  tokensOf,
} from './formula/syntax.ts';
export { FormulaError, type FormulaValue, kindOf, toValue } from './formula/values.ts';
export * from './in-step/index.ts';
export * from './mail/index.ts';
export * from './mapping/awkward.ts';
export { conceptOf, nameLikeness, nameWords } from './mapping/concepts.ts';
export * from './mapping/convert.ts';
export * from './mapping/evaluation-context.ts';
export * from './mapping/filling.ts';
export { fillingWords } from './mapping/filling-text.ts';
export { fieldsInLetter, letterNames, letterOf, partsOfLetter, unknownInLetter } from './mapping/letter.ts';
export * from './mapping/map-record.ts';
export { totalRoleOf } from './mapping/money-roles.ts';
export * from './mapping/names.ts';
export * from './mapping/profile.ts';
export * from './mapping/row-checks.ts';
export * from './mapping/sheet-rows.ts';
export * from './mapping/suggest.ts';
export * from './mapping/suggest-lines.ts';
export { saleOf } from './mapping/suggest-totals.ts';
export * from './mapping/suggestion.ts';
export * from './mapping/tidy.ts';
export * from './matching/index.ts';
export * from './messages/message-parts.ts';
export * from './questions/question.ts';
export * from './reconcile/index.ts';
export { indexWords, type SearchWord, searchWords } from './records/search-words.ts';
export { type TrailEntry, type TrailTone, trailOfItem } from './records/trail.ts';
export * from './run/advance.ts';
export * from './run/alike.ts';
export * from './run/assumed.ts';
export * from './run/balance.ts';
export * from './run/doubles.ts';
export { emptied, emptiedWrite } from './run/emptied.ts';
export * from './run/handed-piece.ts';
export * from './run/lay-out.ts';
export * from './run/marks.ts';
export * from './run/on-paper.ts';
export * from './run/outcome.ts';
export * from './run/overwrite.ts';
export * from './run/plan.ts';
export { plannedIn } from './run/planned.ts';
export * from './run/recognised.ts';
export { returned } from './run/returned.ts';
export * from './run/revision.ts';
export { type Scheduled, scheduleOf } from './run/schedule.ts';
export * from './run/state.ts';
export * from './run/state-change.ts';
export * from './run/still-fits.ts';
export { type TakenOver, takenOver } from './run/take-over.ts';
export { arrivalEvent, tellingOf, toldBy } from './starts/event/definition.ts';
export { everyLabel } from './starts/every/definition.ts';
export * from './starts/handed/record.ts';
export * from './starts/hops.ts';
export * from './starts/registry.ts';
export * from './starts/schemas.ts';
export { daysLabel } from './starts/times/definition.ts';
export { type MonthDay, monthNumbers, type TimesTrigger, weekdays } from './starts/times/schema.ts';
export * from './steps/ask/asked.ts';
export { asksByCalendar } from './steps/ask/definition.ts';
export * from './steps/ask/schema.ts';
export * from './steps/ask/shown.ts';
export { type Rest, restChoices } from './steps/common.ts';
export * from './steps/compute/schema.ts';
export * from './steps/condition/schema.ts';
export type { StepDefinition } from './steps/definition.ts';
export * from './steps/each/schema.ts';
export type { HandedRecord } from './steps/hand-over/handed.ts';
export * from './steps/hand-over/schema.ts';
export { handsOverAlone, mostHanded } from './steps/hand-over/whole-list.ts';
export * from './steps/lookup/schema.ts';
export { partByFormula } from './steps/placed/at.ts';
export * from './steps/placed/result.ts';
export { pathsOfRung } from './steps/placed/rungs.ts';
export { recognisingFields } from './steps/placed/values.ts';
export * from './steps/registry.ts';
export * from './steps/results.ts';
export * from './steps/schemas.ts';
export * from './steps/turn.ts';
export { countsByCalendar, endingsIn, hoursOf, momentText } from './steps/wait/definition.ts';
export { type Due, dueAt } from './steps/wait/due.ts';
export * from './steps/wait/endings.ts';
export * from './steps/wait/schema.ts';
export * from './steps/write/schema.ts';
export * from './telling/asks.ts';
export * from './telling/events.ts';
export * from './telling/mails.ts';
export * from './telling/quiet.ts';
export * from './undo/index.ts';
export * from './values/cell-error.ts';
export * from './values/coerce.ts';
export * from './values/colour.ts';
export * from './values/consent.ts';
export * from './values/countries.ts';
export * from './values/dates.ts';
export * from './values/field.ts';
export * from './values/formula-text.ts';
export * from './values/id.ts';
export * from './values/money.ts';
export * from './values/numbers.ts';
export * from './values/paths.ts';
export * from './values/phone.ts';
export * from './values/pointer.ts';
export { amountText, printedValue } from './values/printed.ts';
export { readableValue } from './values/readable.ts';
export * from './values/text.ts';
export * from './values/title.ts';
export * from './values/value.ts';
export * from './values/web-address.ts';
export * from './workflow/add-lookup.ts';
export * from './workflow/afterwards.ts';
export * from './workflow/blanks.ts';
export * from './workflow/brief.ts';
export * from './workflow/business.ts';
export * from './workflow/call.ts';
export * from './workflow/change.ts';
export * from './workflow/changes.ts';
export * from './workflow/draft-copy.ts';
export * from './workflow/draft-state.ts';
export * from './workflow/drift.ts';
export { ofToday } from './workflow/earlier.ts';
export * from './workflow/file.ts';
export * from './workflow/going-live.ts';
export { aRecord, isOfAnother, needsId, placeOfId, singularOf } from './workflow/ids.ts';
export * from './workflow/lasting.ts';
export * from './workflow/merge.ts';
export * from './workflow/moves.ts';
export * from './workflow/not-covered.ts';
export * from './workflow/phrase.ts';
export * from './workflow/place.ts';
export * from './workflow/problem.ts';
export * from './workflow/readiness.ts';
export * from './workflow/references.ts';
export { withRenamedPlace } from './workflow/renamed.ts';
export * from './workflow/schema.ts';
export { type Series, type SeriesMessage, seriesOf } from './workflow/series.ts';
export {
  lackingIn,
  type TextTemplate,
  type TextTemplateUse,
  templateFilling,
  textTemplateUses,
  withTextTemplate,
} from './workflow/text-templates.ts';
export * from './workflow/wait-links.ts';
