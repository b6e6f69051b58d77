import { type Filling, mapRefs, refsOf } from '../../mapping/filling.ts';
import { fillingWords } from '../../mapping/filling-text.ts';
import { ruleText } from '../../matching/lookup/ladder.ts';
import type { Locale } from '../../values/coerce.ts';
import { fieldAt } from '../../values/field.ts';
import { isSameJson } from '../../values/value.ts';
import { added, type Change, changed, removed } from '../../workflow/change.ts';
import type { Place } from '../../workflow/place.ts';
import type { Around, Given, Renaming, Use } from '../definition.ts';
import type { PlacedStep } from '../schemas.ts';
import { pathsOfRung } from './rungs.ts';

// What lookups and writes have in common while they are built.

/** The record of the step's place, as later steps know it. */
export function givenBy(step: PlacedStep, there: 'in' | 'found in'): Given | undefined {
  if (!step.target) return undefined;
  const { described, labels } = step.target;
  const from = step.name ?? `${described.singular} ${there} ${labels.at(-1) ?? 'the destination'}`;
  return { fields: described.fields, from };
}

/** What of a step rests on a sentence's fields: its mapping, and where the place is its own how a record is recognised. */
export function usesOfPlaced(step: PlacedStep, sentence: string): Use[] {
  const own = step.id === sentence;
  const uses: Use[] = [];
  for (const [path, filling] of Object.entries(step.mapping)) {
    const what = `the mapping of “${fieldAt(step.target?.described.fields ?? [], path)?.label ?? path.slice(1)}”`;
    if (own) uses.push({ path, what });
    for (const ref of refsOf(filling)) if (ref.step === sentence) uses.push({ path: ref.path, what });
  }
  if (!own) return uses;
  const ways = (step.ladder?.rungs ?? []).flatMap(pathsOfRung);
  return [...uses, ...ways.map((path) => ({ path, what: 'how it is matched' }))];
}

/** The mapping of a step after a place's fields were renamed, and the place itself where it is the step's own. */
export function renamedPlace(
  step: PlacedStep,
  { sentence, described, path, ref }: Renaming,
): { readonly mapping: Record<string, Filling>; readonly target: Place | null; readonly isOwn: boolean } {
  const isOwn = step.id === sentence && step.target !== null;
  const mapping = Object.fromEntries(
    Object.entries(step.mapping).map(([at, filling]) => [step.id === sentence ? path(at) : at, mapRefs(filling, ref)]),
  );
  return { mapping, target: isOwn && step.target ? { ...step.target, described } : step.target, isOwn };
}

/** Which fields are filled otherwise. */
export function mappingChanges(
  old: PlacedStep,
  step: PlacedStep,
  around: { readonly before: Around; readonly after: Around },
  locale: Locale,
): Change[] {
  const label = (path: string): string =>
    fieldAt(step.target?.described.fields ?? [], path)?.label ??
    fieldAt(old.target?.described.fields ?? [], path)?.label ??
    path.slice(1);
  const said = ({ nameOf }: Around, filling: Filling): string => fillingWords(nameOf, filling, locale);
  return [...new Set([...Object.keys(old.mapping), ...Object.keys(step.mapping)])].flatMap((path): Change[] => {
    const [was, is] = [old.mapping[path], step.mapping[path]];
    if (was && is) {
      if (isSameJson(was, is)) return [];
      const where = templateChange(was, is);
      if (where !== undefined) return [changed(`“${label(path)}” ${where}`)];
      const text = `“${label(path)}” was filled with ${said(around.before, was)}, now with ${said(around.after, is)}.`;
      return [changed(text)];
    }
    if (is) return [added(`“${label(path)}” is filled with ${said(around.after, is)}.`)];
    return [removed(`“${label(path)}” is not filled any more.`)];
  });
}

/** What is said where the words are the same and only the template that they come from is another. */
function templateChange(was: Filling, is: Filling): string | undefined {
  if (was.kind !== 'text' || is.kind !== 'text') return undefined;
  const { template: _before, ...words } = was;
  const { template, ...same } = is;
  if (!isSameJson(words, same)) return undefined;
  return template ? `is version ${template.version} of a template now.` : 'is no template any more.';
}

/** How records are recognised, as far as the sentence doesn't show it. */
export function ladderChanges({ ladder: was }: PlacedStep, { ladder: is, ...step }: PlacedStep): Change[] {
  const name = recordsOf(step);
  const [before, after] = [(was?.rules ?? []).map(ruleText), (is?.rules ?? []).map(ruleText)];
  const isOther =
    was &&
    is &&
    (!isSameJson(was.rungs, is.rungs) || !isSameJson(was.remembers, is.remembers) || was.atUnclear !== is.atUnclear);
  return [
    ...after.filter((rule) => !before.includes(rule)).map((rule) => added(`A rule for ${name}: ${rule}.`)),
    ...before.filter((rule) => !after.includes(rule)).map((rule) => removed(`A rule for ${name}: ${rule}.`)),
    ...(isOther ? [changed(`How ${name} are matched has changed.`)] : []),
  ];
}

/** What a step's records are called where it is told that something about them changed. */
export const recordsOf = (step: Pick<PlacedStep, 'name' | 'target'>): string =>
  step.name ?? step.target?.described.plural ?? 'records';
