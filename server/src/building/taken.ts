import type { Connector } from '@golden/connectors';

/** Values that are asked about at most: the samples on a sheet, not a whole source. */
const mostAsked = 20;

/** Which of these values other records of a place have already in a field that tells them apart. */
export async function takenValues(
  connector: Connector,
  path: readonly string[],
  field: string,
  values: readonly string[],
): Promise<string[]> {
  const taken: string[] = [];
  for (const value of values.slice(0, mostAsked)) {
    const found = await connector.find(path, { path: field, value });
    if (found.length > 0) taken.push(value);
  }
  return taken;
}
