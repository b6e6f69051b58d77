import { z } from 'zod';
import { isPlaced } from '../steps/schemas.ts';
import { IdSchema } from '../values/id.ts';
import { type Pointer, PointerSchema, parsePointer } from '../values/pointer.ts';
import type { Place } from './place.ts';
import { startId } from './references.ts';
import { type WorkflowContent, WorkflowContentSchema } from './schema.ts';

// What has to be said before a ready-made workflow fits a business: its places, and the texts and options that its maker
// has left open. Its connections are told by the file itself.

/** A text or an option of a ready-made workflow that each business says for itself. */
export const BlankSchema = z.object({
  id: IdSchema,
  /** What is asked: "Which group are new people put into?" */
  label: z.string().min(1).max(200),
  help: z.string().max(500).optional(),
  /** One of these; any text when absent. */
  options: z
    .array(z.object({ value: z.string().max(400), label: z.string().max(200) }))
    .max(50)
    .optional(),
  /** Where in the content its text stands: JSON Pointers (RFC 6901). */
  at: z.array(PointerSchema).min(1).max(20),
});
export type Blank = z.infer<typeof BlankSchema>;

/** The edition of a ready-made workflow, by which a newer one is told. */
export const EditionSchema = z.object({
  /** The same for all editions of one. */
  id: z.string().min(1).max(120),
  number: z.int().min(1),
  /** What is new in it. */
  note: z.string().max(500).optional(),
});
export type Edition = z.infer<typeof EditionSchema>;

/** The text that stands at a pointer of a content; undefined where no text does. */
function textAt(content: WorkflowContent, at: Pointer): string | undefined {
  let here: unknown = content;
  for (const token of parsePointer(at))
    here = typeof here === 'object' && here !== null ? (here as Record<string, unknown>)[token] : undefined;
  return typeof here === 'string' ? here : undefined;
}

/** What stands in a blank as it is: the maker's own word for it. */
export const blankText = (content: WorkflowContent, { at }: Blank): string => textAt(content, at[0] ?? '') ?? '';

/**
 * A content with its blanks filled; what isn't said stays as its maker has it.
 *
 * @throws ZodError where what was said doesn't fit, such as a time that is none
 */
export function withBlanks(
  content: WorkflowContent,
  blanks: readonly Blank[],
  said: Readonly<Record<string, string>>,
): WorkflowContent {
  let made: unknown = content;
  for (const { id, at } of blanks) {
    const text = said[id];
    if (text === undefined) continue;
    for (const pointer of at)
      if (textAt(content, pointer) !== undefined) made = withTextAt(made, parsePointer(pointer), text);
  }
  return WorkflowContentSchema.parse(made);
}

function withTextAt(here: unknown, [token, ...deeper]: readonly string[], text: string): unknown {
  if (token === undefined) return text;
  if (Array.isArray(here)) return here.map((one, at) => (String(at) === token ? withTextAt(one, deeper, text) : one));
  const entries = here as Readonly<Record<string, unknown>>;
  return { ...entries, [token]: withTextAt(entries[token], deeper, text) };
}

/** A place that a ready-made workflow reaches, by the sentence whose place it is. */
export interface OpenPlace {
  readonly sentence: string;
  readonly place: Place;
}

/** The same for all sentences that reach one place. */
export const placeKey = ({ connection, path }: Pick<Place, 'connection' | 'path'>): string =>
  JSON.stringify([connection, ...path]);

/** The places of a content that stand in apps, each to be chosen where it isn't there. */
export function placesToChoose({ start, steps }: WorkflowContent, isApp: (connection: string) => boolean): OpenPlace[] {
  const placed = steps.flatMap((step): OpenPlace[] =>
    isPlaced(step) && step.target ? [{ sentence: step.id, place: step.target }] : [],
  );
  const all = start.source ? [{ sentence: startId, place: start.source }, ...placed] : placed;
  return all.filter(({ place }) => isApp(place.connection));
}

/** A content with other places, by their sentences. */
export function withPlaces(content: WorkflowContent, by: Readonly<Record<string, Place>>): WorkflowContent {
  const source = by[startId] ?? content.start.source;
  const steps = content.steps.map((step) => {
    const place = by[step.id];
    return place && isPlaced(step) ? { ...step, target: place } : step;
  });
  return { ...content, start: { ...content.start, source }, steps };
}

/** A newer edition in the places that its copy was given: only what it does otherwise differs then. */
export function inPlacesOf(newer: WorkflowContent, copy: WorkflowContent): WorkflowContent {
  const places = Object.fromEntries(
    copy.steps.flatMap((step) => {
      const there = newer.steps.find(({ id }) => id === step.id);
      return isPlaced(step) && step.target && there?.kind === step.kind ? [[step.id, step.target] as const] : [];
    }),
  );
  return withPlaces(newer, { ...places, ...(copy.start.source && { [startId]: copy.start.source }) });
}
