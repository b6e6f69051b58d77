import type { KnownName } from '../formula/check.ts';
import { staticTypeOf } from '../formula/check.ts';
import { namesIn } from '../formula/syntax.ts';
import { definitionOf } from '../steps/registry.ts';
import { everyItem } from '../values/paths.ts';
import { parsePointer } from '../values/pointer.ts';
import { businessId, type KnownField, knownFields, lineFields, startId, waitLinksId } from '../workflow/references.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { type Formula, lineId, type Ref } from './filling.ts';

/** A field under the name that formulas know it by. */
export interface NamedField extends KnownName {
  readonly known: KnownField;
}

/** Where a name is looked up: before which step, and within the lines of which list. */
export interface NamePlace {
  readonly before: string;
  readonly list?: Ref | undefined;
}

/** The fields a formula can use at a place, with their names: `customer.email`, `line.quantity`. */
export function namedFields(content: WorkflowContent, place: NamePlace): NamedField[] {
  const known = [
    ...(place.list ? lineFields(content, place.list, place.before) : []),
    ...knownFields(content, place.before),
  ];
  const aliases = aliasesIn(content);
  const taken = new Set<string>();
  return known.map((one) => {
    const base = `${aliases.get(one.ref.step) ?? one.ref.step}.${nameOfPath(one.ref.path)}`;
    let name = base;
    for (let number = 2; taken.has(name.toLowerCase()); number++) name = `${base}_${number}`;
    taken.add(name.toLowerCase());
    return { name, type: one.isInList ? 'list' : staticTypeOf(one.field), known: one };
  });
}

/** `/address/city` is `address.city`; `*`, which stands for every item, has no name of its own. */
const nameOfPath = (path: string): string =>
  parsePointer(path)
    .filter((token) => token !== everyItem)
    .join('.');

/** What each step is called in formulas: what it makes, such as `order`; a number after it where two make the same. */
export function aliasesIn(content: WorkflowContent): ReadonlyMap<string, string> {
  const aliases = new Map<string, string>([[lineId, lineId]]);
  const taken = new Set<string>([lineId]);
  const give = (step: string, wanted: string): void => {
    const base = wanted.trim().replace(/\s+/g, '_').toLowerCase() || 'record';
    let alias = base;
    for (let number = 2; taken.has(alias); number++) alias = `${base}_${number}`;
    taken.add(alias);
    aliases.set(step, alias);
  };
  give(startId, content.start.source?.described.singular ?? 'record');
  give(businessId, businessId);
  give(waitLinksId, 'waiting');
  for (const step of content.steps) {
    const alias = definitionOf(step).alias?.(step);
    if (alias !== undefined) give(step.id, alias);
  }
  return aliases;
}

/** A formula with the fields that its names stand for here; names that nothing stands for are left open. */
export function bindFormula(text: string, fields: readonly NamedField[]): Formula {
  const byName = new Map(fields.map((one) => [one.name.toLowerCase(), one.known.ref]));
  const refs: Record<string, Ref> = {};
  for (const name of namesIn(text)) {
    const ref = byName.get(name.toLowerCase());
    if (ref) refs[name] = ref;
  }
  return { text, refs };
}

/** The name of a reference at a place; undefined when it isn't known there. */
export function nameOfField(ref: Ref, fields: readonly NamedField[]): string | undefined {
  return fields.find(({ known }) => known.ref.step === ref.step && known.ref.path === ref.path)?.name;
}
