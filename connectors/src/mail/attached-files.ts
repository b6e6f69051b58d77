import type { Field } from '@golden/core';
import type { Attachable, FileToAttach } from '../app.ts';
import { Refused } from '../errors.ts';

/** A file that goes along: its name, and the field that named it. */
export interface NamedFile {
  readonly name: string;
  readonly path: string;
  /** The id of a document that was made before; absent for a file that is kept. */
  readonly document?: string;
}

/** The fields that name the files which go along with a mail. */
export const attachmentPaths = ['/attached_file', '/attached_file_2', '/attached_file_3'] as const;
const labels = ['attached file', 'second attached file', 'third attached file'] as const;

/** The fields for documents that steps before have made, such as one as PDF and as DOCX. */
const documentFields = (
  [
    ['/document', 'document'],
    ['/document_2', 'second document'],
  ] as const
).map(
  ([path, label]): Field => ({
    path,
    label,
    type: 'text',
    byPersonOnly: true,
    description: 'The id of a document that a step before has made: it goes along',
  }),
);

/** Bytes of all of them together: many mail servers take no larger mail. */
const mostBytes = 20 * 1024 * 1024;

/** The fields for files, each a choice of those that are kept, and for documents. */
export const attachmentFields = (files: readonly string[]): Field[] => [
  ...attachmentPaths.map(
    (path, at): Field => ({
      path,
      label: labels[at] ?? '',
      type: 'choice',
      byPersonOnly: true,
      takesFiles: true,
      options: files.map((name) => ({ value: name, label: name })),
    }),
  ),
  ...documentFields,
];

/** The files that a mail's values name, each once, with the first field that named it. */
export function namedFiles(textOf: (field: string) => string): NamedFile[] {
  const named = new Map<string, NamedFile>();
  for (const path of attachmentPaths) {
    const name = textOf(path.slice(1));
    if (name !== '' && !named.has(name)) named.set(name, { name, path });
  }
  const documents = new Map<string, NamedFile>();
  for (const { path } of documentFields) {
    const document = textOf(path.slice(1));
    if (document !== '' && !documents.has(document)) documents.set(document, { name: 'the document', path, document });
  }
  return [...named.values(), ...documents.values()];
}

/**
 * The files that go along with a mail.
 * @throws Refused where one isn't kept any more, or all are too large for a mail; nothing was sent then
 */
export async function filesFor(
  { attachments }: { readonly attachments: readonly NamedFile[] },
  attachable: Attachable | undefined,
): Promise<FileToAttach[]> {
  const files: FileToAttach[] = [];
  const missing: NamedFile[] = [];
  for (const named of attachments) {
    const file = await (named.document === undefined
      ? attachable?.get(named.name)
      : attachable?.document?.(named.document));
    if (file) files.push(file);
    else missing.push(named);
  }
  const [first] = missing;
  if (first)
    throw new Refused(
      first.document === undefined
        ? `The file “${first.name}” isn’t there any more. Add it again, or choose another.`
        : 'The document that should go along hasn’t been made, or was taken back.',
      missing.map(({ name, path }) => ({
        path,
        label: attachmentFields([]).find((field) => field.path === path)?.label ?? '',
        message: 'There is no such file.',
        given: name,
      })),
    );
  const bytes = files.reduce((sum, { content }) => sum + content.length, 0);
  if (bytes > mostBytes)
    throw new Refused(`The attached files have ${Math.ceil(bytes / 1024 / 1024)} MB together. A mail can hold 20 MB.`);
  return files;
}
