import { z } from 'zod';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced, type Step } from '../steps/schemas.ts';
import { IdSchema } from '../values/id.ts';
import { BlankSchema, EditionSchema } from './blanks.ts';
import { callIn } from './call.ts';
import { ofToday } from './earlier.ts';
import type { Place } from './place.ts';
import { type AlsoFrom, type WorkflowContent, WorkflowContentSchema } from './schema.ts';

/** What the exported file of a workflow calls itself. */
export const fileKind = 'golden-relay/workflow';

/** What the exported file of a folder calls itself. */
export const folderKind = 'golden-relay/folder';

/**
 * A workflow as a file: its content with connections told by app and name instead of by id, so that
 * it can be taken up elsewhere. It never holds a key. Published as a JSON Schema.
 */
export const WorkflowFileSchema = z.object({
  kind: z.literal(fileKind),
  version: z.literal(1),
  exportedAt: z.string(),
  /** The connections that the content names by these ids. */
  connections: z.array(z.object({ id: IdSchema, app: z.string().max(100), name: z.string().max(200) })),
  content: WorkflowContentSchema,
  /** How it begins where it asks no app: what is set of that, without its address and its secret. */
  beginning: z.looseObject({ name: z.string().min(1).max(200) }).optional(),
  /** Of a ready-made one: what each business says for itself. */
  blanks: z.array(BlankSchema).max(40).optional(),
  /** Of a ready-made one: which edition it is. */
  edition: EditionSchema.optional(),
});
export type WorkflowFile = z.infer<typeof WorkflowFileSchema>;

/** A connection as an imported file names it, with the one here that stands for it, or none yet. */
export interface ImportedConnection {
  readonly id: string;
  readonly app: string;
  readonly name: string;
  readonly here: string | null;
}

/** Several workflows as one file: a folder, with what hands over to what. */
export interface FolderFile {
  readonly kind: typeof folderKind;
  readonly version: 1;
  readonly exportedAt: string;
  readonly name: string;
  readonly workflows: readonly WorkflowFile[];
}

/** Read a file, or say in a sentence why it is none. */
export type FileReading =
  | { readonly ok: true; readonly file: WorkflowFile }
  | { readonly ok: false; readonly message: string };

/** The workflows that a file holds: one, or those of a folder, which is named then. */
export type FilesReading =
  | { readonly ok: true; readonly files: readonly WorkflowFile[]; readonly folder?: string }
  | { readonly ok: false; readonly message: string };

/** Reads the text of an exported workflow, or of an exported folder. */
export function readWorkflowFiles(text: string): FilesReading {
  const json = jsonOf(text);
  if (json === undefined) return noJson;
  if (kindOf(json) !== folderKind) {
    const read = readOne(json);
    return read.ok ? { ok: true, files: [read.file] } : read;
  }
  const { version, name, workflows } = json as Partial<Record<keyof FolderFile, unknown>>;
  if (version !== 1) return newer(version);
  if (!Array.isArray(workflows) || workflows.length === 0 || typeof name !== 'string')
    return unread('The file is damaged: a folder has a name and workflows.');
  const files: WorkflowFile[] = [];
  for (const [at, one] of workflows.slice(0, mostInFolder).entries()) {
    const read = readOne(one);
    if (!read.ok) return unread(`Workflow ${at + 1} of the folder: ${read.message}`);
    files.push(read.file);
  }
  return { ok: true, files, folder: name.trim().slice(0, 60) };
}

/** More workflows than a folder is shown with. */
const mostInFolder = 200;

/** Reads the text of one exported workflow. */
export function readWorkflowFile(text: string): FileReading {
  const json = jsonOf(text);
  return json === undefined ? noJson : readOne(json);
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text.replace(/^\ufeff/, ''));
  } catch {
    return undefined;
  }
}

const kindOf = (json: unknown): unknown =>
  typeof json === 'object' && json !== null ? (json as { kind?: unknown }).kind : undefined;

function readOne(json: unknown): FileReading {
  if (kindOf(json) !== fileKind) return unread('This file is not an exported workflow. Nothing was imported.');
  const version = (json as { version?: unknown }).version;
  if (version !== 1) return newer(version);
  const { content } = json as { content?: unknown };
  const read = WorkflowFileSchema.safeParse({ ...(json as object), content: ofToday(content) });
  if (read.success) return { ok: true, file: read.data };
  const [first] = read.error.issues;
  return unread(`The file is damaged at ${first?.path.join(' → ') || 'its beginning'}: ${first?.message ?? ''}`);
}

const unread = (message: string) => ({ ok: false as const, message });
const noJson = unread('This is not a JSON file. Choose one that was exported from Golden Relay.');
const newer = (version: unknown) =>
  unread(`It was exported by a newer version (${String(version)}). Update Golden Relay first.`);

/**
 * What a workflow does through a connection, in a few words each: told by the places themselves, not by
 * what a file calls them.
 */
export function deedsThrough(content: WorkflowContent, connection: string): string[] {
  const { source, also } = content.start;
  const read = source?.connection === connection ? [`reads ${placeWords(source)}${alsoWords(also)}`] : [];
  const deeds = content.steps.flatMap((step): string[] => {
    if (step.kind === 'ask' && step.through === connection) return ['sends mails to whoever is asked'];
    const read = step.kind === 'wait' ? reachedBy(step).filter((place) => place?.connection === connection) : [];
    if (read.length > 0) return read.flatMap((place) => (place ? [`reads ${placeWords(place)}`] : []));
    if (!isPlaced(step) || step.target?.connection !== connection) return [];
    const call = callIn(step.target.path);
    if (call) {
      const named = call.headers.map(({ name }) => name).join(', ');
      const when = call.onlyReads ? 'also while rehearsing' : 'not while rehearsing';
      const address = `/${call.address.replace(/^\//, '')}`;
      return [`calls ${call.method} ${address} (${when}${named && `; with the headers ${named}`})`];
    }
    const where = placeWords(step.target);
    return [definitionOf(step).deed?.(step, where) ?? `reaches ${where}`];
  });
  return [...new Set([...read, ...deeds])];
}

function placeWords({ path, labels }: Place): string {
  const shown = path.join(' → ') || 'the whole app';
  return labels.join() === path.join() || labels.length === 0 ? shown : `${labels.join(' → ')} (${shown})`;
}

function alsoWords(also: AlsoFrom | undefined): string {
  if (!also) return '';
  return also.kind === 'all' ? ' and all beside it' : ` and ${also.places.length} beside it`;
}

/** Every place of a workflow with another connection in it, where one is given. */
export function withConnections(content: WorkflowContent, by: Readonly<Record<string, string>>): WorkflowContent {
  const put = <P extends Place | null>(place: P): P =>
    place && Object.hasOwn(by, place.connection) ? { ...place, connection: by[place.connection] as string } : place;
  return {
    ...content,
    start: { ...content.start, source: put(content.start.source) },
    steps: content.steps.map((step) => {
      if (isPlaced(step)) return { ...step, target: put(step.target) };
      if (step.kind === 'ask' && step.through !== null && Object.hasOwn(by, step.through))
        return { ...step, through: by[step.through] as string };
      if (step.kind !== 'wait' || !step.endings) return step;
      return { ...step, endings: step.endings.map((one) => ({ ...one, place: put(one.place) })) };
    }),
  };
}

/**
 * Every hand over with the inbox that stands here for the one in the file; one that none stands for has to be chosen.
 *
 * @param by - inboxes here, by the ids that the file knows them by
 */
export function withReceivers(content: WorkflowContent, by: ReadonlyMap<string, Place>): WorkflowContent {
  return {
    ...content,
    steps: content.steps.map((step) => {
      if (step.kind !== 'hand_over' || !step.target) return step;
      return { ...step, target: by.get(step.target.path[0] ?? '') ?? null };
    }),
  };
}

/** The ids of the connections that a workflow uses, each once. */
export function connectionsOf(content: WorkflowContent): string[] {
  const places = [content.start.source, ...content.steps.flatMap(reachedBy)];
  const mails = content.steps.flatMap((step) => (step.kind === 'ask' && step.through !== null ? [step.through] : []));
  return [...new Set([...places.flatMap((place) => (place ? [place.connection] : [])), ...mails])];
}

/** The places that a step reaches: its own, or those whose records end a wait. */
export function reachedBy(step: Step): (Place | null)[] {
  if (isPlaced(step)) return [step.target];
  return step.kind === 'wait' ? (step.endings ?? []).map(({ place }) => place) : [];
}
