import { AppError, type Connector, NotThere } from '@golden/connectors';
import { nameLikeness, type Place, type RecordType, type WorkflowContent } from '@golden/core';
import type { Services } from '../services.ts';
import { placesOf } from './places.ts';

/** A place that isn't there any more, and what it is likely called by now. */
export interface GonePlace {
  readonly sentence: string;
  readonly place: string;
  readonly message: string;
  /** The likeliest first. */
  readonly likely: readonly { readonly path: string[]; readonly labels: string[]; readonly why: string }[];
}

/** Places that are looked into, and that are offered, at the most. */
const [mostLookedInto, mostOffered] = [12, 3];
/** So many of its fields at least a place has to have to be taken for one that was renamed. */
const leastShare = 0.6;

/** The places of a workflow that aren't there; one that can't be asked now is left out. */
export async function goneOf({ connections }: Services, content: WorkflowContent): Promise<GonePlace[]> {
  const gone: GonePlace[] = [];
  const places = placesOf(content);
  // What the workflow reads or writes already is none of the others under a new name.
  const used = new Set(places.map(({ place }) => placeKey(place)));
  for (const { sentence, place } of places) {
    try {
      const connector = await connections.connector(place.connection);
      const message = await whyGone(connector, place.path);
      if (message === undefined) continue;
      gone.push({
        sentence,
        place: place.labels.join(' → '),
        message,
        likely: await likelyPlaces(connector, place, used),
      });
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
    }
  }
  return gone;
}

const placeKey = ({ connection, path }: Pick<Place, 'connection' | 'path'>): string =>
  JSON.stringify([connection, path]);

async function whyGone(connector: Connector, path: readonly string[]): Promise<string | undefined> {
  try {
    await connector.describe(path);
    return undefined;
  } catch (error) {
    if (error instanceof NotThere) return error.message;
    throw error;
  }
}

interface Candidate {
  readonly path: string[];
  readonly labels: string[];
}

/** Places with most of the fields of one that is gone, the most alike in fields and then in name first. */
async function likelyPlaces(
  connector: Connector,
  place: Place,
  used: ReadonlySet<string>,
): Promise<GonePlace['likely']> {
  const was = place.labels.join(' ');
  const likeness = ({ labels }: Candidate): number => nameLikeness(labels.join(' '), was);
  const candidates = (await beside(connector, place))
    .filter(({ path }) => !used.has(placeKey({ ...place, path })))
    .sort((one, other) => likeness(other) - likeness(one));
  const found: { candidate: Candidate; has: number }[] = [];
  for (const candidate of candidates.slice(0, mostLookedInto)) {
    const now = await connector.describe(candidate.path).catch(passedOver);
    const has = now ? place.described.fields.filter(({ path }) => hasField(now, path)).length : 0;
    if (has > 0 && has >= place.described.fields.length * leastShare) found.push({ candidate, has });
  }
  const all = place.described.fields.length;
  return found
    .sort((one, other) => other.has - one.has || likeness(other.candidate) - likeness(one.candidate))
    .slice(0, mostOffered)
    .map(({ candidate, has }) => ({
      ...candidate,
      why: has === all ? `has all ${all} of its columns` : `has ${has} of its ${all} columns`,
    }));
}

const hasField = ({ fields }: RecordType, path: string): boolean => fields.some((field) => field.path === path);

/** What can't be read now is none of the likely ones. */
function passedOver(error: unknown): undefined {
  if (!(error instanceof AppError)) throw error;
}

/** The other places beside one that is gone: tabs of its file, or of all files where the file itself is gone. */
async function beside(connector: Connector, { path, labels }: Place): Promise<Candidate[]> {
  if (path.length === 0) return [];
  const above = path.slice(0, -1);
  const here = await connector.places(above).catch((error: unknown) => {
    if (error instanceof NotThere) return undefined;
    throw error;
  });
  if (here)
    return here
      .filter(({ isPlace, id }) => isPlace && id !== path.at(-1))
      .map(({ id, label }) => ({ path: [...above, id], labels: [...labels.slice(0, above.length), label] }));
  const files = (await connector.places([])).filter(({ isPlace }) => !isPlace);
  const near = (label: string): number => nameLikeness(label, labels[0] ?? '');
  const all: Candidate[] = [];
  for (const file of [...files].sort((one, other) => near(other.label) - near(one.label)).slice(0, mostLookedInto)) {
    const tabs = (await connector.places([file.id]).catch(passedOver)) ?? [];
    for (const { isPlace, id, label } of tabs)
      if (isPlace) all.push({ path: [file.id, id], labels: [file.label, label] });
  }
  return all;
}
