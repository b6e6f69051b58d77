import type { Connector } from '@golden/connectors';
import { linkParts } from '@golden/core';

/** A place that a link leads to, by its ids and in words. */
export interface LinkedPlace {
  readonly path: string[];
  readonly labels: string[];
}

/** Deeper than this no app nests its places. */
const deepest = 4;

/**
 * The place that a link pasted by a person leads to. Its id is found among the parts of the link,
 * the last part before the `?` first (common practice); undefined when none of them is a place.
 */
export async function placeFromLink(connector: Connector, link: string): Promise<LinkedPlace | undefined> {
  const parts = linkParts(link);
  const path: string[] = [];
  const labels: string[] = [];
  for (let depth = 0; depth < deepest; depth++) {
    const choices = await connector.places(path);
    const choice = parts
      .map((part) => choices.find((one) => same(one.id, part) || same(one.label, part)))
      .find((one) => one !== undefined);
    // A file with one tab leads to that tab.
    const only = choices.length === 1 && path.length > 0 ? choices[0] : undefined;
    const next = choice ?? only;
    if (!next) return undefined;
    path.push(next.id);
    labels.push(next.label);
    if (next.isPlace) return { path, labels };
  }
  return undefined;
}

const same = (one: string, other: string): boolean => one.toLowerCase() === other.toLowerCase();
