import type { Compilable, CompiledQuery } from 'kysely';
import type { Trx } from './group-commit.ts';

/** A query of which only the values change from one call to the next. */
export type Prepared<Values, Row> = (trx: Trx, values: Values) => Promise<Row[]>;

/**
 * A query whose text is made the first time it is asked: making it anew for every record that is moved
 * took longer than asking it. What `build` is given stands for the values, and only for them: it can't
 * look into them, nor leave one out.
 */
export function prepared<Values extends object, Row = unknown>(
  build: (trx: Trx, values: Values) => Compilable<Row>,
): Prepared<Values, Row> {
  let known: { readonly query: CompiledQuery<Row>; readonly names: readonly (keyof Values | undefined)[] } | undefined;
  return async (trx, values) => {
    if (!known) {
      const places = new Map<object, keyof Values>();
      const given = Object.fromEntries(
        Object.keys(values).map((name) => {
          const place = Object.freeze({ place: name });
          places.set(place, name as keyof Values);
          return [name, place];
        }),
      );
      const query = build(trx, given as Values).compile();
      known = { query, names: query.parameters.map((one) => places.get(one as object)) };
    }
    const { query, names } = known;
    const parameters = names.map((name, at) => (name === undefined ? query.parameters[at] : values[name]));
    return (await trx.executeQuery<Row>({ ...query, parameters })).rows;
  };
}
