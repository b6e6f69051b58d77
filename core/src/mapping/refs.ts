import { z } from 'zod';
import { IdSchema } from '../values/id.ts';
import { PointerSchema } from '../values/pointer.ts';

/**
 * A field of the record that an earlier sentence made known. `step` is `start`, a step's id, `business`
 * for what the business says of itself, `wait_links` for the links of a record that waits, or `line` within the mapping of a list. In `path`, `*` stands for every item of a list.
 */
export const RefSchema = z.object({ step: IdSchema, path: PointerSchema });
export type Ref = z.infer<typeof RefSchema>;

/** The field that a name of a formula stands for; a name that every object has stands for none by that. */
export const refNamed = (refs: Readonly<Record<string, Ref>>, name: string): Ref | undefined =>
  Object.hasOwn(refs, name) ? refs[name] : undefined;

/** The name under which the start's record stands in references. */
export const startId = 'start';

/** The name under which the links of a record that waits stand in references. */
export const waitLinksId = 'wait_links';

/** The name under which the facts of the business stand in references. */
export const businessId = 'business';

/** A text by which two references are the same, such as for a choice in a list. */
export const refKey = ({ step, path }: Ref): string => `${step}\n${path}`;
