import {
  comesByItself,
  connectionsOf,
  deedsThrough,
  fileKind,
  type ImportedConnection,
  sentenceText,
  type WorkflowContent,
  type WorkflowFile,
  WorkflowFileSchema,
  withConnections,
  writeBrief,
} from '@golden/core';
import { z } from 'zod';
import { inboxApp } from '../arrivals/arrivals.ts';
import { BeginningSchema, beginningIn, begunSo, withOwnTelling } from '../arrivals/beginnings.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { readOrThrow } from './ready.ts';

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

/** What a file holds, for a person to look at before it is taken in. */
export interface FileLook {
  readonly name: string;
  readonly note: string | null;
  readonly sentences: readonly string[];
  readonly connections: readonly (ImportedConnection & {
    readonly appTitle: string;
    /** What the workflow does through it. */
    readonly does: readonly string[];
  })[];
}

/** @throws NotPossible when the text is no exported workflow */
export async function lookAtFile({ connections, apps }: Services, text: string): Promise<FileLook> {
  const { content, connections: all } = readOrThrow(text);
  // What comes by itself needs no connection: an inbox of its own is made for it.
  const named = all.filter((one) => one.app !== inboxApp);
  const here = await connections.list();
  return {
    name: content.name,
    note: content.note ?? null,
    sentences: writeBrief(content, Object.fromEntries(named.map((one) => [one.id, one.name]))).map(sentenceText),
    connections: named.map((one) => {
      const same = here.filter((each) => each.app === one.app);
      const chosen = same.find((each) => each.id === one.id) ?? same.find((each) => each.name === one.name);
      const only = same.length === 1 ? same[0] : undefined;
      const appTitle = apps.find((app) => app.id === one.app)?.title ?? one.app;
      return { ...one, appTitle, here: (chosen ?? only)?.id ?? null, does: deedsThrough(content, one.id) };
    }),
  };
}

/**
 * The content of a file with the chosen connections in it; one that asks no app gets an inbox, and an address, of
 * its own. @throws NotPossible
 */
export async function contentOfFile(
  services: Pick<Services, 'arrivals' | 'doors' | 'mailDoors' | 'forms' | 'files'>,
  text: string,
  by: Readonly<Record<string, string>>,
): Promise<WorkflowContent> {
  const { content: given, beginning } = readOrThrow(text);
  const content = withConnections(given, by);
  if (!beginning || !comesByItself(content.start)) return withOwnTelling(services, content);
  const read = BeginningSchema.safeParse(beginning);
  if (!read.success) {
    const [first] = read.error.issues;
    throw new NotPossible(`The file is damaged at beginning → ${first?.path.join(' → ')}: ${first?.message ?? ''}`);
  }
  return begunSo(services, content, read.data);
}
