import { type CopyKind, comesByItself, isPlaced, type WorkflowContent } from '@golden/core';
import { ArrowRight } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { ReadAsNote } from '../../onboarding/ReadAsNote.tsx';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { useEditor } from '../draft/context.tsx';
import { CopyKindChoice } from '../place/CopyKindChoice.tsx';
import type { ChosenPlace } from '../place/chosen-place.ts';
import { PlacePicker } from '../place/PlacePicker.tsx';

interface WhereToProps {
  /** Called with the sentence to go on with. */
  readonly onMade: (sentence: string) => void;
}

/** A draft that knows where its records come from and not yet where they go: one question makes the rest of it. */
export function WhereTo({ onMade }: WhereToProps) {
  const { draft } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const { start, steps } = draft.content;
  if (!start.source || steps.some(isPlaced)) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-line-1 bg-pine-faint px-5 py-3">
      <span className="font-serif text-lg">Where do these records go?</span>
      <Button look="main" icon={<ArrowRight size={15} />} onClick={() => setOpen(true)}>
        Choose where to
      </Button>
      <span className="text-sm text-ink-2">
        <ReadAsNote />
      </span>
      <WhereToDrawer isOpen={isOpen} onClose={() => setOpen(false)} onMade={onMade} />
    </div>
  );
}

interface DrawerProps extends WhereToProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

function WhereToDrawer({ isOpen, onClose, onMade }: DrawerProps) {
  const { draft, workflow, connections } = useEditor();
  const [to, setTo] = useState<ChosenPlace>();
  const [kind, setKind] = useState<CopyKind>(
    // What is posted comes once: it is added.
    comesByItself(draft.content.start) ? 'each_new' : 'all_in_step',
  );
  const { source } = draft.content.start;
  const isSame = to?.connection === source?.connection && to?.path.join('\n') === source?.path.join('\n');
  const make = useAction(async () => {
    if (!to) return;
    await draft.flush();
    const { content } = await call('POST /api/workflows/:id/where-to', {
      params: { id: workflow.id },
      body: { to, kind },
    });
    draft.change(() => content as unknown as WorkflowContent);
    await draft.flush();
    onClose();
    onMade('write-1');
  });
  return (
    <Drawer
      title="Where do these records go?"
      isOpen={isOpen}
      onClose={onClose}
      isWide
      foot={
        <>
          <Button look="main" disabled={!to || isSame || make.isPending} onClick={() => make.mutate(undefined)}>
            {make.isPending ? 'Looking at both sides…' : 'Make the draft'}
          </Button>
          <span className="text-sm text-ink-2">
            {isSame && to ? 'This is where they come from. Choose another place.' : 'Nothing is written to any app.'}
          </span>
        </>
      }
    >
      <PlacePicker
        purpose="to"
        connections={connections}
        chosen={to}
        columns={(source?.described.fields ?? []).map((field) => field.label)}
        source={source?.described}
        onChoose={setTo}
      />
      <h3 className="mt-5 mb-2 text-lg">What kind of copy</h3>
      <CopyKindChoice kind={kind} onChoose={setKind} isNarrow to={to} />
    </Drawer>
  );
}
