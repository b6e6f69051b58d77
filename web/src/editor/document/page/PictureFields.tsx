import type { PageBlock } from '@golden/core';
import { Image } from 'lucide-react';
import { useAction, useAttachments } from '../../../api/queries.ts';
import { ChooseFile } from '../../../parts/ChooseFile.tsx';
import { inputLook, Select } from '../../../parts/Field.tsx';
import { keepFile } from '../../../parts/keep-file.ts';

type Picture = Extract<PageBlock, { kind: 'picture' }>;

interface PictureProps {
  readonly block: Picture;
  readonly label: string;
  readonly onChange: (block: Picture) => void;
}

/** Which picture, and how wide it is drawn. */
export function PictureFields({ block, label, onChange }: PictureProps) {
  const kept = (useAttachments().data ?? []).map(({ name }) => name).filter((name) => /\.(png|jpe?g)$/i.test(name));
  const add = useAction(async (file: File) => {
    onChange({ ...block, file: await keepFile(file) });
  });
  const names = block.file === '' || kept.includes(block.file) ? kept : [block.file, ...kept];
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Select
        aria-label={`${label}: its file`}
        className="max-w-[200px]"
        value={block.file}
        onChange={({ target }) => onChange({ ...block, file: target.value })}
        choices={[{ value: '', label: 'Choose a picture' }, ...names.map((name) => ({ value: name, label: name }))]}
      />
      <ChooseFile
        label={`${label}: add a picture`}
        accept=".png,.jpg,.jpeg"
        icon={<Image size={14} strokeWidth={1.75} />}
        hint="PNG or JPEG, up to 10 MB. It can be used in every page; one of the same name is replaced."
        isBusy={add.isPending}
        onFiles={([file]) => file && add.mutate(file)}
      >
        {add.isPending ? 'Adding it…' : 'Add a picture'}
      </ChooseFile>
      <label className="flex items-center gap-1.5">
        <input
          aria-label={`${label}: its width in millimetres`}
          inputMode="numeric"
          placeholder="as it is"
          value={block.width ?? ''}
          onChange={({ target }) => {
            const width = Number(target.value);
            onChange({ ...block, width: width > 0 && width <= 300 ? width : undefined });
          }}
          className={`${inputLook} w-[72px]`}
        />
        mm wide
      </label>
    </div>
  );
}
