import { type Kysely, sql } from 'kysely';

/** Carries statements out one after the other. */
export async function runAll(db: Kysely<unknown>, statements: readonly string[]): Promise<void> {
  for (const statement of statements) await sql.raw(statement).execute(db);
}
