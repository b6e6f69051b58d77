import { AppError } from '@golden/connectors';
import {
  type Blank,
  blankText,
  driftOf,
  type Place,
  placeKey,
  placesToChoose,
  sentenceText,
  startId,
  type WorkflowContent,
  type WorkflowFile,
  withBlanks,
  withConnections,
  withPlaces,
  writeBrief,
} from '@golden/core';
import { ZodError } from 'zod';
import { inboxApp } from '../arrivals/arrivals.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { differencesIn } from './places.ts';
import { readAllOrThrow } from './ready.ts';

/** A place of this business, chosen for one that a file names. */
export type ChosenHere = Pick<Place, 'connection' | 'path' | 'labels'>;

/** What a business has said for itself in the blanks of a file. */
export interface SaidInBlanks {
  /** The connection here, by the one in the file. */
  readonly connections: Readonly<Record<string, string>>;
  /** Other places, by the key of the one in the file. */
  readonly places?: Readonly<Record<string, ChosenHere>>;
  /** Texts, by the key of their blank. */
  readonly texts?: Readonly<Record<string, string>>;
}

/** A text or an option that is asked for, with what its maker has put there. */
export interface BlankLook extends Pick<Blank, 'label' | 'help' | 'options'> {
  /** Tells it among all blanks of the file. */
  readonly key: string;
  /** The workflow that it belongs to. */
  readonly workflow: string;
  readonly text: string;
}

/** A place of a file, as it is here. */
export interface PlaceLook {
  readonly key: string;
  /** The connection, as the file knows it. */
  readonly connection: string;
  readonly path: string[];
  readonly labels: string[];
  /** Read from, or written to. */
  readonly purpose: 'from' | 'to';
  /** The sentences that reach it. */
  readonly sentences: string[];
  /** Null while no connection is chosen for it. */
  readonly isThere: boolean | null;
  /** Why it can't be reached, and what is otherwise there. */
  readonly differences: string[];
}

const blankKey = (at: number, { id }: Blank): string => `${at}.${id}`;

/** The blanks of all workflows of a file. */
export function blanksOfFiles(files: readonly WorkflowFile[]): BlankLook[] {
  return files.flatMap(({ content, blanks = [] }, at) =>
    blanks.map((blank) => {
      const { label, help, options } = blank;
      const text = blankText(content, blank);
      return { key: blankKey(at, blank), workflow: content.name, label, text, help, options };
    }),
  );
}

interface Known {
  readonly id: string;
  readonly app: string;
  readonly name: string;
}

/** The connection here that stands for one of a file: itself, one of its name, or the only one of its app. */
export function standsFor(one: Known, here: readonly Known[]): string | undefined {
  const same = here.filter(({ app }) => app === one.app);
  const chosen = same.find(({ id }) => id === one.id) ?? same.find(({ name }) => name === one.name);
  return (chosen ?? (same.length === 1 ? same[0] : undefined))?.id;
}

const isAppOf =
  ({ connections }: WorkflowFile) =>
  (connection: string): boolean =>
    connections.some(({ id, app }) => id === connection && app !== inboxApp);

/** Every place that a file names, once, and whether it is there with the connections chosen. @throws NotPossible */
export async function placesOfFile(
  services: Services,
  text: string,
  by: Readonly<Record<string, string>>,
): Promise<PlaceLook[]> {
  const looks = new Map<string, PlaceLook>();
  for (const file of readAllOrThrow(text).files) {
    const names = Object.fromEntries(file.connections.map(({ id, name }) => [id, name]));
    const brief = new Map(writeBrief(file.content, names).map((one) => [one.id, sentenceText(one)]));
    for (const { sentence, place } of placesToChoose(file.content, isAppOf(file))) {
      const key = placeKey(place);
      const before = looks.get(key);
      const seen = await seenHere(services, file.content, sentence, place, by[place.connection]);
      const purpose = onlyReads(file.content, sentence) && before?.purpose !== 'to' ? 'from' : 'to';
      looks.set(key, {
        key,
        connection: place.connection,
        path: place.path,
        labels: place.labels,
        purpose,
        sentences: [...(before?.sentences ?? []), brief.get(sentence) ?? ''],
        isThere: seen.isThere,
        differences: [...new Set([...(before?.differences ?? []), ...seen.differences])],
      });
    }
  }
  return [...looks.values()];
}

/** True for the start, and for a lookup that makes nothing where it finds none. */
function onlyReads({ steps }: WorkflowContent, sentence: string): boolean {
  const step = steps.find(({ id }) => id === sentence);
  return sentence === startId || (step?.kind === 'lookup' && step.ladder.atNone !== 'create');
}

/** Whether a place is there in a connection, and what is otherwise in it. */
async function seenHere(
  { connections }: Services,
  content: WorkflowContent,
  sentence: string,
  place: Place,
  connection: string | undefined,
): Promise<Pick<PlaceLook, 'isThere' | 'differences'>> {
  if (connection === undefined) return { isThere: null, differences: [] };
  try {
    const now = await (await connections.connector(connection)).describe(place.path);
    const drift = driftOf(content, sentence, place.described, now);
    return { isThere: true, differences: differencesIn(drift, place.labels.join(' → ')) };
  } catch (error) {
    if (!(error instanceof AppError)) throw error;
    return { isThere: false, differences: [error.message] };
  }
}

/** A workflow of a file as this business has said it: its connections, its places, its texts. @throws NotPossible */
export async function filled(
  { connections }: Pick<Services, 'connections'>,
  file: WorkflowFile,
  at: number,
  { connections: by, places = {}, texts = {} }: SaidInBlanks,
): Promise<WorkflowContent> {
  const chosen: Record<string, Place> = {};
  for (const { sentence, place } of placesToChoose(file.content, isAppOf(file))) {
    const other = places[placeKey(place)];
    if (!other) continue;
    const described = await (await connections.connector(other.connection)).describe(other.path);
    chosen[sentence] = { connection: other.connection, path: other.path, labels: other.labels, described };
  }
  const content = withTexts(withPlaces(withConnections(file.content, by), chosen), file, at, texts);
  if (!file.edition) return content;
  const said = (file.blanks ?? []).flatMap((blank) => {
    const text = texts[blankKey(at, blank)];
    return text === undefined ? [] : [[blank.id, text] as const];
  });
  const { id: ready, number: edition } = file.edition;
  return { ...content, madeFrom: { ready, edition, said: Object.fromEntries(said) } };
}

function withTexts(
  content: WorkflowContent,
  { blanks = [] }: WorkflowFile,
  at: number,
  texts: Readonly<Record<string, string>>,
): WorkflowContent {
  let made = content;
  for (const blank of blanks) {
    const text = texts[blankKey(at, blank)]?.trim();
    if (text === undefined) continue;
    try {
      made = withBlanks(made, [blank], { [blank.id]: text });
    } catch (error) {
      if (!(error instanceof ZodError)) throw error;
      throw new NotPossible(
        `“${text}” doesn’t fit “${blank.label}”. Write it as its maker has: “${blankText(content, blank)}”.`,
      );
    }
  }
  return made;
}
