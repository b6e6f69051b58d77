import type { Locale } from '../values/coerce.ts';
import type { Filling } from './filling.ts';
import type { Ref } from './refs.ts';
import { tidyLabel } from './tidy.ts';

/** A filling in words: `first name + last name, single spaces`. */
export function fillingWords(nameOf: (ref: Ref) => string, filling: Filling, locale: Locale): string {
  if (filling.kind === 'choice' || filling.kind === 'fixed') return `“${filling.value}”`;
  if (filling.kind === 'formula') return `the formula ${filling.text.replace(/^=/, '')}`;
  if (filling.kind === 'options') return `${nameOf(filling.ref)} by a table of ${filling.table.length}`;
  if (filling.kind === 'lines')
    return `a line for each of ${nameOf(filling.ref)}, ${Object.keys(filling.mapping).length} fields each`;
  const parts =
    filling.kind === 'field'
      ? [nameOf(filling.ref)]
      : filling.parts.map((part) => {
          if (part.kind === 'words') return `“${part.text}”`;
          return part.otherwise === undefined ? nameOf(part.ref) : `${nameOf(part.ref)} or “${part.otherwise}”`;
        });
  const tidies = filling.tidies.map((tidy) => tidyLabel(tidy, locale));
  return [parts.join(' + '), ...tidies].join(', ');
}
