import type { Compilable, CompiledQuery } from 'kysely';
import type { Db } from './schema.ts';

/** A query of which only the values change from one call to the next. */
export type Prepared<Values, Row> = (db: Db, values: Values) => Promise<Row[]>;

/**
 * A query whose text is made the first time it is asked: making it anew for every record that is moved
 * took longer than asking it. What `build` is given stands for the values, and only for them: it can't
 * look into them, nor leave one out.
 */
export function prepared<Values extends object, Row = unknown>(
  build: (db: Db, values: Values) => Compilable<Row>,
): Prepared<Values, Row> {
  let known: { readonly query: CompiledQuery<Row>; readonly names: readonly (keyof Values | undefined)[] } | undefined;
  return async (db, values) => {
    if (!known) {
      const places = new Map<object, keyof Values>();
      const given = Object.fromEntries(
        Object.keys(values).map((name) => {
          const place = Object.freeze({ place: name });
          places.set(place, name as keyof Values);
          return [name, place];
        }),
      );
      const query = build(db, given as Values).compile();
      known = { query, names: query.parameters.map((one) => places.get(one as object)) };
    }
    const { query, names } = known;
    const parameters = names.map((name, at) => (name === undefined ? query.parameters[at] : values[name]));
    return (await db.executeQuery<Row>({ ...query, parameters })).rows;
  };
}
