import { type ReactNode, useState } from 'react';
import { Group, Panel, Separator } from 'react-resizable-panels';
import { readLocal, storeLocal } from '../../parts/local-settings.ts';

const name = 'golden-editor-height';

/** Enough for how a field is filled; fourteen fields stay in view above it on a screen of 800 pixels. */
const usual = 118;
const least = 40;

const keptHeight = (): number => {
  const kept = Number(readLocal(name));
  return Number.isFinite(kept) && kept >= least ? kept : usual;
};

interface SplitProps {
  /** The sheet. */
  readonly children: ReactNode;
  /** What stands below it, as high as the person drew it last. */
  readonly editor: ReactNode;
}

/** The sheet and its editor share the height, by a line that can be moved by pointer and by keys. */
export function SheetSplit({ children, editor }: SplitProps) {
  const [height] = useState(keptHeight);
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
        defaultSize={height}
        minSize={least}
        groupResizeBehavior="preserve-pixel-size"
        onResize={({ inPixels }) => {
          if (inPixels >= least) storeLocal(name, String(Math.round(inPixels)));
        }}
        className="overflow-y-auto bg-paper"
      >
        {editor}
      </Panel>
    </Group>
  );
}
