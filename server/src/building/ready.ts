import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWorkflowFile, type WorkflowFile } from '@golden/core';
import { NotPossible } from '../engine/errors.ts';

/** @throws NotPossible when the text is no exported workflow */
export function readOrThrow(text: string): WorkflowFile {
  const read = readWorkflowFile(text);
  if (!read.ok) throw new NotPossible(read.message);
  return read.file;
}

/** Ready-made workflows that stand in a folder beside the data, by their file's name. */
export class ReadyWorkflows {
  constructor(private readonly folder: string | undefined) {}

  list(): { id: string; name: string; note: string | null }[] {
    return this.names().flatMap((id) => {
      const read = readWorkflowFile(readFileSync(join(this.folder ?? '', id), 'utf8'));
      return read.ok ? [{ id, name: read.file.content.name, note: read.file.content.note ?? null }] : [];
    });
  }

  /** @throws NotPossible when there is none of that name */
  get(id: string): WorkflowFile {
    if (!this.names().includes(id)) throw new NotPossible('There is no such ready-made workflow.');
    return readOrThrow(readFileSync(join(this.folder ?? '', id), 'utf8'));
  }

  private names(): string[] {
    if (!this.folder || !existsSync(this.folder)) return [];
    return readdirSync(this.folder)
      .filter((name) => name.endsWith('.json'))
      .sort();
  }
}
