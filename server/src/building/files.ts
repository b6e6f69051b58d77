import {
  comesByItself,
  connectionsOf,
  deedsThrough,
  type FolderFile,
  fileKind,
  folderKind,
  type ImportedConnection,
  type Place,
  sentenceText,
  type WorkflowContent,
  type WorkflowFile,
  WorkflowFileSchema,
  withReceivers,
  writeBrief,
} from '@golden/core';
import { z } from 'zod';
import { inboxApp } from '../arrivals/arrivals.ts';
import { BeginningSchema, beginningIn, begunSo, withOwnTelling } from '../arrivals/beginnings.ts';
import { NotPossible } from '../engine/errors.ts';
import { takesHanded } from '../handing/receivers.ts';
import type { Services } from '../services.ts';
import { type BlankLook, blanksOfFiles, filled, type SaidInBlanks, standsFor } from './blanks.ts';
import { readAllOrThrow } from './ready.ts';

/** The JSON Schema (2020-12) of exported workflows, published with the server. */
export function workflowFileJsonSchema(): object {
  return {
    $id: 'https://golden-relay.example/schemas/workflow.json',
    title: 'A workflow exported from Golden Relay',
    ...z.toJSONSchema(WorkflowFileSchema),
  };
}

/** A content as a file: connections by app and name, no key, nothing of the runs. */
export async function exportWorkflow(
  { connections, seams, db }: Services,
  content: WorkflowContent,
): Promise<WorkflowFile> {
  const all = await connections.list();
  const beginning = await beginningIn(db, content);
  return {
    kind: fileKind,
    version: 1,
    exportedAt: seams.now(),
    connections: connectionsOf(content).map((id) => {
      const known = all.find((one) => one.id === id);
      return { id, app: known?.app ?? '', name: known?.name ?? 'a connection that is gone' };
    }),
    content,
    ...(beginning && { beginning }),
  };
}

/** All workflows of a folder as one file. @throws NotPossible where it has none */
export async function exportFolder(services: Services, folder: string): Promise<FolderFile> {
  const all = (await services.workflows.list()).filter((one) => one.folder === folder);
  if (all.length === 0) throw new NotPossible('This folder has no workflows any more.');
  const workflows = await Promise.all(all.map(({ draft }) => exportWorkflow(services, draft)));
  return { kind: folderKind, version: 1, exportedAt: services.seams.now(), name: folder, workflows };
}

/** What a file holds, for a person to look at before it is taken in. */
export interface FileLook {
  readonly name: string;
  readonly note: string | null;
  /** How many workflows it holds. */
  readonly workflows: number;
  readonly sentences: readonly string[];
  readonly connections: readonly (ImportedConnection & {
    readonly appTitle: string;
    /** What the workflow does through it. */
    readonly does: readonly string[];
  })[];
  readonly blanks: readonly BlankLook[];
}

/** @throws NotPossible when the text is no exported workflow or folder */
export async function lookAtFile({ connections, apps }: Services, text: string): Promise<FileLook> {
  const { files, folder } = readAllOrThrow(text);
  const here = await connections.list();
  const looked = new Map<string, FileLook['connections'][number]>();
  for (const { content, connections: all } of files) {
    // What comes by itself needs no connection: an inbox of its own is made for it.
    for (const one of all.filter(({ app }) => app !== inboxApp)) {
      const appTitle = apps.find((app) => app.id === one.app)?.title ?? one.app;
      const does = [...new Set([...(looked.get(one.id)?.does ?? []), ...deedsThrough(content, one.id)])];
      looked.set(one.id, { ...one, appTitle, here: standsFor(one, here) ?? null, does });
    }
  }
  const names = Object.fromEntries([...looked.values()].map((one) => [one.id, one.name]));
  const [first] = files;
  return {
    name: folder ?? first?.content.name ?? '',
    note: folder === undefined ? (first?.content.note ?? null) : null,
    workflows: files.length,
    sentences: files.flatMap(({ content }) => [
      ...(folder === undefined ? [] : [`${content.name}:`]),
      ...writeBrief(content, names).map(sentenceText),
    ]),
    connections: [...looked.values()],
    blanks: blanksOfFiles(files),
  };
}

/**
 * The contents of a file with the chosen connections in them; one that asks no app gets an inbox, and an address, of
 * its own. What hands over to another of the same file does so to the one that is made here. @throws NotPossible
 */
export async function contentsOfFile(
  services: Pick<Services, 'arrivals' | 'doors' | 'mailDoors' | 'forms' | 'files' | 'connections' | 'workflows'>,
  text: string,
  said: SaidInBlanks,
): Promise<{ readonly contents: readonly WorkflowContent[]; readonly folder: string }> {
  const { files, folder = '' } = readAllOrThrow(text);
  const contents: WorkflowContent[] = [];
  // What hands over to one of this workspace's own goes on doing so.
  const inboxes = await receiversHere(services, files);
  for (const [at, file] of files.entries()) {
    const content = await begunHere(services, await filled(services, file, at, said), file);
    const [before, now] = [file.content.start.source?.path[0], content.start.source];
    if (content.start.trigger.kind === 'handed' && before !== undefined && now)
      inboxes.set(before, { ...now, labels: [content.name] });
    contents.push(content);
  }
  return { contents: contents.map((content) => withReceivers(content, inboxes)), folder };
}

/** The inboxes here that the hand overs of a file name, by their ids. */
async function receiversHere(
  { workflows }: Pick<Services, 'workflows'>,
  files: readonly WorkflowFile[],
): Promise<Map<string, Place>> {
  const into = files.flatMap(({ content }) =>
    content.steps.flatMap((step) => (step.kind === 'hand_over' && step.target ? [step.target] : [])),
  );
  if (into.length === 0) return new Map();
  const here = new Set((await workflows.list()).map(({ draft }) => takesHanded(draft)));
  return new Map(into.flatMap((place) => (here.has(place.path[0]) ? [[place.path[0] ?? '', place] as const] : [])));
}

async function begunHere(
  services: Parameters<typeof begunSo>[0] & Pick<Services, 'doors'>,
  content: WorkflowContent,
  { beginning }: WorkflowFile,
): Promise<WorkflowContent> {
  if (!beginning || !comesByItself(content.start)) return withOwnTelling(services, content);
  const read = BeginningSchema.safeParse(beginning);
  if (!read.success) {
    const [first] = read.error.issues;
    throw new NotPossible(`The file is damaged at beginning → ${first?.path.join(' → ')}: ${first?.message ?? ''}`);
  }
  return begunSo(services, content, read.data);
}
