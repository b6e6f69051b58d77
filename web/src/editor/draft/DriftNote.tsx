import { type RecordType, takeFields } from '@golden/core';
import { RefreshCw } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from './context.tsx';
import { GoneNote } from './GoneNote.tsx';

/** How a sentence's place differs from what it was built on, what that affects, and what is likely meant now. */
export function DriftNote({ sentence }: { readonly sentence: string }) {
  const { drifts, gone, lookAgain } = useEditor();
  const found = drifts.find((one) => one.sentence === sentence);
  // What changed opens beside the sheet, and never takes its height.
  const [isOpen, setOpen] = useState(false);
  const lost = gone.find((one) => one.sentence === sentence);
  if (lost) return <GoneNote gone={lost} />;
  if (!found) return null;
  const { drift, place } = found;
  return (
    <div className="border-b border-line-1 px-5 py-1.5">
      {drift.isStopping ? (
        <ProblemMessage
          action={
            <span className="flex gap-2">
              <Button onClick={() => setOpen(true)}>See what changed</Button>
              <Button icon={<RefreshCw size={14} />} onClick={lookAgain}>
                Look again
              </Button>
            </span>
          }
        >
          “{place}” has changed since this was built. Nothing is written until you have mapped it again.
        </ProblemMessage>
      ) : (
        <News {...found} />
      )}
      <Drawer
        title={`What changed in ${place}`}
        isOpen={isOpen && drift.isStopping}
        onClose={() => setOpen(false)}
        isWide
      >
        <Gone {...found} onTaken={() => setOpen(false)} />
      </Drawer>
    </div>
  );
}

type Found = ReturnType<typeof useEditor>['drifts'][number];

function Gone({ sentence, drift, now, onTaken }: Found & { readonly onTaken: () => void }) {
  const { draft } = useEditor();
  const [renames, setRenames] = useState<Readonly<Record<string, string>>>(() =>
    Object.fromEntries(drift.gone.flatMap((one) => (one.proposal ? [[one.path, one.proposal.path]] : []))),
  );
  const take = (): void => {
    draft.change((content) => takeFields(content, sentence, now as RecordType, renames));
    onTaken();
  };
  return (
    <>
      <ul className="mt-1.5 space-y-1.5">
        {drift.gone.map((one) => (
          <li key={one.path} className="flex flex-wrap items-center gap-2">
            <span>
              “{one.label}” isn’t there any more. It is used by {one.affects.join(' and ')}. It is now
            </span>
            <Chooser
              aria-label={`What “${one.label}” is now`}
              value={renames[one.path] ?? ''}
              onChoose={(path) => setRenames({ ...renames, [one.path]: path || one.path })}
              choices={[
                { value: '', label: 'gone' },
                ...now.fields.map((field) => ({
                  value: field.path,
                  label: field.label,
                  hint: field.path === one.proposal?.path ? one.proposal.why : undefined,
                })),
              ]}
            />
          </li>
        ))}
        {drift.optionsGone.map(({ label, options }) => (
          <li key={label}>
            “{label}” has no option {options.map((one) => `“${one}”`).join(', ')} any more. Choose another below.
          </li>
        ))}
        {drift.newlyRequired.map((label) => (
          <li key={label}>“{label}” is required now and not filled.</li>
        ))}
      </ul>
      <Button look="main" className="mt-2" onClick={take}>
        Map again like this
      </Button>
    </>
  );
}

/** Fields that came to be: offered, not urged. */
function News({ sentence, drift, now, place }: Found) {
  const { draft } = useEditor();
  const names = drift.added.map((field) => `“${field.label}”`).join(', ');
  const words = [
    names && `“${place}” has new fields: ${names}.`,
    ...drift.retyped.map(({ label }) => `“${label}” now holds another kind of value.`),
  ];
  return (
    <p className="flex flex-wrap items-center gap-2 text-slate">
      {words.filter(Boolean).join(' ')}
      <Button
        icon={<RefreshCw size={14} />}
        onClick={() => draft.change((content) => takeFields(content, sentence, now as RecordType, {}))}
      >
        Use the fields as they are now
      </Button>
    </p>
  );
}
