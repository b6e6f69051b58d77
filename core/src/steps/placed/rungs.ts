import type { AtNone, Ladder, Rung } from '../../matching/lookup/ladder.ts';
import { fieldAt } from '../../values/field.ts';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import type { Place } from '../../workflow/place.ts';

/** The fields of the place that a way looks at. */
export const pathsOfRung = (rung: Rung): string[] =>
  rung.kind === 'exact' ? [...rung.fields] : rung.fields.map(({ path }) => path);

/** "the tax number, then the e-mail, then by likeness of name and postcode". */
export function rungPhrases({ rungs }: Ladder, target: Place): Phrase[] {
  if (rungs.length === 0) return [missing('a way to match it')];
  return rungs.flatMap((rung, at) => {
    const labels = pathsOfRung(rung).map((path) => fieldAt(target.described.fields, path)?.label ?? path.slice(1));
    const shown = labels.length > 3 ? `${labels.slice(0, 2).join(', ')} and ${labels.length - 2} more` : listed(labels);
    return [
      ...(at > 0 ? [words(', then ')] : []),
      ...(rung.kind === 'alike' ? [words('similar ')] : []),
      setting(shown),
    ];
  });
}

const listed = (labels: readonly string[]): string =>
  labels.length < 2 ? labels.join('') : `${labels.slice(0, -1).join(', ')} and ${labels.at(-1)}`;

/** What happens where nobody is found. */
export function nonePhrases(atNone: AtNone, singular: string): Phrase[] {
  const said: Record<AtNone, string> = {
    create: `create the ${singular}`,
    empty: 'go on without',
    leave_out: 'leave the record out',
    ask: 'ask me',
  };
  return [words('if there is none, '), setting(said[atNone])];
}

/** The ways of a ladder after a place's fields were renamed. */
export function renamedLadder(ladder: Ladder, to: (path: string) => string): Ladder {
  const rungs = ladder.rungs.map(
    (rung): Rung =>
      rung.kind === 'exact'
        ? { ...rung, fields: rung.fields.map(to) }
        : { ...rung, fields: rung.fields.map((field) => ({ ...field, path: to(field.path) })) },
  );
  return { ...ladder, rungs };
}
