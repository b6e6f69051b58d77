import { toast } from 'sonner';
import { useNewerEdition } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Changes } from '../../parts/Changes.tsx';
import { useEditor } from './context.tsx';

/** A newer edition of the ready-made one that this workflow was made from, beside it; nothing where there is none. */
export function NewerEdition() {
  const { workflow, draft } = useEditor();
  const { newer } = useNewerEdition(workflow.id, workflow.rev, workflow.newerEdition !== null).data ?? {};
  const at = draft.content.madeFrom?.edition;
  if (!newer || at === undefined || at >= newer.number) return null;
  const { content } = newer;
  const take = (): void => {
    draft.change(() => content);
    toast(`The draft is now edition ${newer.number}. Undo brings your draft back.`);
  };
  const keep = (): void => draft.change((mine) => ({ ...mine, madeFrom: content.madeFrom }));
  return (
    <section aria-label="Newer edition" className="rounded-lg border border-line-1 bg-sheet px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h2 className="text-lg">Edition {newer.number} of the ready-made one is here</h2>
        <span className="ml-auto flex gap-2">
          <Button look="quiet" onClick={keep}>
            Keep mine
          </Button>
          <Button onClick={take}>Take it into the draft</Button>
        </span>
      </div>
      <p className="text-ink-2">
        This workflow was made from edition {newer.before}. {newer.note}
      </p>
      <div className="my-2 grid grid-cols-2 gap-x-4 gap-y-1 font-serif text-md">
        <h3 className="font-sans text-sm font-semibold text-ink-2">Yours</h3>
        <h3 className="font-sans text-sm font-semibold text-ink-2">Edition {newer.number}, in your places</h3>
        {newer.sentences.map(({ mine, newer: other }) => (
          <SentencePair key={`${mine}|${other}`} mine={mine} newer={other} />
        ))}
      </div>
      {newer.changes.length > 0 ? (
        <>
          <h3 className="font-sans text-sm font-semibold text-ink-2">What it would change</h3>
          <Changes changes={newer.changes} />
        </>
      ) : (
        <p className="text-ink-2">It does the same as your draft.</p>
      )}
    </section>
  );
}

function SentencePair({ mine, newer }: { readonly mine: string | null; readonly newer: string | null }) {
  const look = (mine === newer && 'text-ink-2') || '';
  return (
    <>
      <p className={`border-l-2 border-line-1 pl-2 ${look}`}>{mine ?? <em className="text-ink-2">nothing</em>}</p>
      <p className={`border-l-2 pl-2 ${mine === newer ? 'border-line-1' : 'border-slate'} ${look}`}>
        {newer ?? <em className="text-ink-2">nothing</em>}
      </p>
    </>
  );
}
