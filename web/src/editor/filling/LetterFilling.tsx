import { type Filling, type KnownField, letterNames, letterOf, type NamedField, partsOfLetter } from '@golden/core';
import { Plus } from 'lucide-react';
import { lazy, Suspense, useRef, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Loading } from '../../parts/Messages.tsx';
import { FieldPicker } from '../mapping/FieldPicker.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import type { LetterHandle } from './LetterEditor.tsx';

const LetterEditor = lazy(() => import('./LetterEditor.tsx'));

type TextFilling = Extract<Filling, { kind: 'text' }>;

interface LetterProps {
  readonly filling: TextFilling;
  readonly label: string;
  readonly names: readonly NamedField[];
  readonly samples: readonly SampleOnSheet[];
  readonly onChange: (filling: Filling) => void;
}

/** A text of several lines, with fields in it: typed as it will be read. */
export function LetterFilling({ filling, label, names, samples, onChange }: LetterProps) {
  const [isPicking, setPicking] = useState(false);
  const handle = useRef<LetterHandle>(null);
  // What was typed stands until it says something else than the parts: a half-typed name is no field yet.
  const [typed, setTyped] = useState(() => letterOf(filling.parts, names));
  const isSame = JSON.stringify(partsOfLetter(typed, names, filling.parts)) === JSON.stringify(filling.parts);
  const shown = isSame ? typed : letterOf(filling.parts, names);
  const pick = ({ ref }: KnownField): void => {
    const one = names.find(({ known }) => known.ref.step === ref.step && known.ref.path === ref.path);
    const name = one && letterNames(names).get(one);
    if (name) handle.current?.insert(`{${name}}`);
    setPicking(false);
  };
  return (
    <div>
      <Suspense fallback={<Loading what="the editor" />}>
        <LetterEditor
          value={shown}
          names={names}
          label={label}
          handle={handle}
          onChange={(text) => {
            setTyped(text);
            const parts = partsOfLetter(text, names, filling.parts);
            const { template: _template, ...own } = filling;
            // With other words it is no template any more.
            if (JSON.stringify(parts) !== JSON.stringify(filling.parts)) onChange({ ...own, parts });
          }}
        />
      </Suspense>
      <div className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm text-ink-2">
        <Button look="quiet" icon={<Plus size={14} />} aria-expanded={isPicking} onClick={() => setPicking(!isPicking)}>
          field
        </Button>
        <span>
          A field stands in braces. <code className="font-mono">{'{first name, else customer}'}</code> writes “customer”
          where it is empty.
        </span>
      </div>
      {isPicking && <FieldPicker known={names.map(({ known }) => known)} samples={samples} onPick={pick} isFocused />}
    </div>
  );
}
