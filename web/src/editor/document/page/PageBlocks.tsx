import type { PageBlock } from '@golden/core';
import { ArrowDown, ArrowUp, Plus, X } from 'lucide-react';
import { useRef } from 'react';
import { Button } from '../../../parts/Button.tsx';
import { inputLook } from '../../../parts/Field.tsx';
import { type KeyedBlock, moved, newBlock, withBlock } from './blocks.ts';
import { LinesFields } from './LinesFields.tsx';
import type { PageNames } from './names.ts';
import { PictureFields } from './PictureFields.tsx';
import { TextWithValues } from './TextWithValues.tsx';

const kinds: Readonly<Record<PageBlock['kind'], string>> = {
  heading: 'Heading',
  text: 'Text',
  lines: 'Table of lines',
  picture: 'Picture',
};

/** The format's own bound. */
const mostBlocks = 200;

interface BlocksProps {
  readonly blocks: readonly KeyedBlock[];
  readonly names: PageNames;
  readonly onChange: (blocks: readonly KeyedBlock[]) => void;
}

/** What stands on a page, one below the other: changed, put in order, added. */
export function PageBlocks({ blocks, names, onChange }: BlocksProps) {
  const list = useRef<HTMLOListElement>(null);
  const add = (kind: PageBlock['kind']): void => {
    onChange(withBlock(blocks, newBlock(kind, names.lists)));
    requestAnimationFrame(() =>
      list.current?.querySelector<HTMLElement>(':scope > li:last-child :is(textarea, input, select)')?.focus(),
    );
  };
  return (
    <section aria-label="What stands on the page">
      <ol ref={list} className="space-y-2">
        {blocks.map(({ key, block }, at) => {
          const label = `${kinds[block.kind]} ${at + 1}`;
          const set = (next: PageBlock): void =>
            onChange(blocks.map((one) => (one.key === key ? { key, block: next } : one)));
          return (
            <li key={key} className="rounded-md border border-line-1 bg-sheet px-2.5 py-2">
              <div className="mb-1 flex items-center gap-1">
                <span className="flex-1 font-medium">{kinds[block.kind]}</span>
                <Button
                  look="quiet"
                  aria-label={`Move ${label} up`}
                  icon={<ArrowUp size={14} />}
                  disabled={at === 0}
                  onClick={() => onChange(moved(blocks, key, -1))}
                />
                <Button
                  look="quiet"
                  aria-label={`Move ${label} down`}
                  icon={<ArrowDown size={14} />}
                  disabled={at === blocks.length - 1}
                  onClick={() => onChange(moved(blocks, key, 1))}
                />
                <Button
                  look="quiet"
                  aria-label={`Remove ${label}`}
                  icon={<X size={14} />}
                  disabled={blocks.length === 1}
                  onClick={() => onChange(blocks.filter((one) => one.key !== key))}
                />
              </div>
              <BlockFields block={block} label={label} names={names} onChange={set} />
              <label className="mt-1.5 flex items-center gap-2 text-sm text-ink-2">
                Only if filled:
                <input
                  aria-label={`${label}: only if this value is filled`}
                  placeholder="always"
                  value={block.onlyIf ?? ''}
                  onChange={({ target }) => set({ ...block, onlyIf: target.value || undefined })}
                  className={`${inputLook} h-[26px] w-[140px]`}
                />
              </label>
            </li>
          );
        })}
      </ol>
      <div className="mt-2 flex flex-wrap gap-1">
        {Object.entries(kinds).map(([kind, label]) => (
          <Button
            key={kind}
            look="quiet"
            icon={<Plus size={14} />}
            disabled={blocks.length >= mostBlocks}
            onClick={() => add(kind as PageBlock['kind'])}
          >
            {label}
          </Button>
        ))}
      </div>
    </section>
  );
}

interface FieldsProps {
  readonly block: PageBlock;
  readonly label: string;
  readonly names: PageNames;
  readonly onChange: (block: PageBlock) => void;
}

function BlockFields({ block, label, names, onChange }: FieldsProps) {
  if (block.kind === 'lines') return <LinesFields block={block} label={label} names={names} onChange={onChange} />;
  if (block.kind === 'picture') return <PictureFields block={block} label={label} onChange={onChange} />;
  return (
    <TextWithValues
      label={label}
      value={block.text}
      names={names.values}
      rows={block.kind === 'text' ? 2 : 1}
      placeholder={block.kind === 'heading' ? 'Delivery note {number}' : 'Dear {name},'}
      onChange={(text) => onChange({ ...block, text })}
    />
  );
}
