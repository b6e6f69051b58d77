import { type ReactNode, useEffect, useState } from 'react';
import { Group, Panel, Separator, usePanelRef } from 'react-resizable-panels';
import { readLocal, storeLocal } from '../../parts/local-settings.ts';

/**
 * Where the height is remembered, and the usual one: enough for how a field is filled, with fourteen fields in view
 * above it on a screen of 800 pixels; a letter needs more.
 */
const heights = {
  field: { name: 'golden-editor-height', usual: 118 },
  letter: { name: 'golden-letter-height', usual: 262 },
} as const;
const least = 40;

const keptHeight = ({ name, usual }: { readonly name: string; readonly usual: number }): number => {
  const kept = Number(readLocal(name));
  return Number.isFinite(kept) && kept >= least ? kept : usual;
};

interface SplitProps {
  /** The sheet. */
  readonly children: ReactNode;
  /** What stands below it, as high as the person drew it last. */
  readonly editor: ReactNode;
  /** True while a letter is written in it. */
  readonly isLetter?: boolean;
}

/** The sheet and its editor share the height, by a line that can be moved by pointer and by keys. */
export function SheetSplit({ children, editor, isLetter = false }: SplitProps) {
  const kind = isLetter ? heights.letter : heights.field;
  const [height] = useState(() => keptHeight(kind));
  const panel = usePanelRef();
  useEffect(() => panel.current?.resize(keptHeight(kind)), [kind, panel]);
  return (
    <Group orientation="vertical" className="min-h-0 flex-1">
      <Panel id="sheet" minSize={96} className="flex min-h-0 flex-col">
        {children}
      </Panel>
      <Separator
        aria-label="Height of the editor"
        className="h-[5px] shrink-0 border-t border-line-1 bg-paper hover:bg-pine-tint focus-visible:bg-pine data-[separator=active]:bg-pine-tint"
      />
      <Panel
        id="editor"
        panelRef={panel}
        defaultSize={height}
        minSize={least}
        groupResizeBehavior="preserve-pixel-size"
        onResize={({ inPixels }) => {
          if (inPixels >= least) storeLocal(kind.name, String(Math.round(inPixels)));
        }}
        className="overflow-y-auto bg-paper"
      >
        {editor}
      </Panel>
    </Group>
  );
}
