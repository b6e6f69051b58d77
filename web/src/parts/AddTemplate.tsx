import { FileText } from 'lucide-react';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { asBase64 } from './bytes.ts';
import { ChooseFile } from './ChooseFile.tsx';

/** Adds a template, or a new edition of one. */
export function AddTemplate() {
  const add = useAction(
    async (file: File) =>
      call('POST /api/document-templates', { body: { name: file.name, bytes: await asBase64(file) } }),
    'Added.',
  );
  return (
    <ChooseFile
      label="A template"
      accept=".docx,.json"
      icon={<FileText size={14} strokeWidth={1.75} />}
      hint="A .docx document, or a page as .json. One of the same name gets a new edition; workflows go on with theirs until you choose the new one."
      isBusy={add.isPending}
      onFiles={([file]) => file && add.mutate(file)}
    >
      {add.isPending ? 'Adding it…' : 'Add a template'}
    </ChooseFile>
  );
}
