import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWorkflowFiles, type WorkflowFile } from '@golden/core';
import { NotPossible } from '../engine/errors.ts';

/** @throws NotPossible when the text is no exported workflow or folder */
export function readAllOrThrow(text: string): { readonly files: readonly WorkflowFile[]; readonly folder?: string } {
  const read = readWorkflowFiles(text);
  if (!read.ok) throw new NotPossible(read.message);
  return read;
}

/** Ready-made workflows that stand in a folder beside the data, by their file's name. */
export class ReadyWorkflows {
  constructor(private readonly folder: string | undefined) {}

  list(): { id: string; name: string; note: string | null }[] {
    return this.all().map(({ id, files, folder }) => {
      const note = files.length > 1 ? files.map(({ content }) => content.name).join(' · ') : files[0]?.content.note;
      return { id, name: folder ?? files[0]?.content.name ?? id, note: note ?? null };
    });
  }

  /** The text of its file. @throws NotPossible when there is none of that name */
  get(id: string): string {
    if (!this.names().includes(id)) throw new NotPossible('There is no such ready-made workflow.');
    return this.text(id);
  }

  /** The newest edition of a ready-made workflow, by the name that all its editions have. */
  newest(ready: string): WorkflowFile | undefined {
    const editions = this.all().flatMap(({ files }) => files.filter(({ edition }) => edition?.id === ready));
    return editions.sort((one, other) => (other.edition?.number ?? 0) - (one.edition?.number ?? 0))[0];
  }

  private all(): { id: string; files: readonly WorkflowFile[]; folder?: string | undefined }[] {
    return this.names().flatMap((id) => {
      const read = readWorkflowFiles(this.text(id));
      return read.ok ? [{ id, files: read.files, folder: read.folder }] : [];
    });
  }

  private text(id: string): string {
    return readFileSync(join(this.folder ?? '', id), 'utf8');
  }

  private names(): string[] {
    if (!this.folder || !existsSync(this.folder)) return [];
    return readdirSync(this.folder)
      .filter((name) => name.endsWith('.json'))
      .sort();
  }
}
