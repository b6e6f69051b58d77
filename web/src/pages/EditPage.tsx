import { checkReadiness, type Sentence, sentenceText, seriesOf, startId, withinAfter, writeBrief } from '@golden/core';
import { PanelLeftClose } from 'lucide-react';
import { useCallback, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { AddSentence } from '../editor/draft/AddSentence.tsx';
import { BriefMargin } from '../editor/draft/BriefMargin.tsx';
import { BriefSentence } from '../editor/draft/BriefSentence.tsx';
import { useBriefActions } from '../editor/draft/brief-actions.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { FoldSeries, SeriesCard } from '../editor/draft/SeriesCard.tsx';
import { TryDrawer } from '../editor/draft/TryDrawer.tsx';
import { StartSheet } from '../editor/start/StartSheet.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { type Command, useOffer } from '../parts/commands.ts';
import { readLocal, storeLocal } from '../parts/local-settings.ts';
import { useShortcuts } from '../parts/shortcuts.ts';
import { viewOf } from '../steps/registry.ts';

const foldedName = 'golden-brief-folded';
const unfoldedSeriesName = 'golden-series-unfolded';

/** The brief on the left, the worksheet of the chosen sentence on the right. */
export function EditPage() {
  const { draft, connections, samples, runs, drifts, isLoadingSamples, isFirstLook } = useEditor();
  const [search, setSearch] = useSearchParams();
  const { content } = draft;
  // Kept here and only told to the address: a route changes too late for somebody who types on.
  const [asked, setAsked] = useState(search.get('sentence') ?? startId);
  const chosen = content.steps.some((step) => step.id === asked) ? asked : startId;
  const choose = useCallback(
    (id: string): void => {
      setAsked(id);
      setSearch(id === startId ? {} : { sentence: id }, { replace: true });
    },
    [setSearch],
  );
  const names = useMemo(() => Object.fromEntries(connections.map((one) => [one.id, one.name])), [connections]);
  const sentences = useMemo(() => writeBrief(content, names), [content, names]);
  const allSeries = useMemo(() => seriesOf(content), [content]);
  const problems = useMemo(() => checkReadiness(content), [content]);
  // Until the samples are there and were taken through, no count is better than zero.
  const isCounting = content.start.source !== null && (isLoadingSamples || (samples.length > 0 && runs.length === 0));
  const reachedBy = (id: string): number =>
    id === startId ? samples.length : runs.filter((one) => one.reached.has(id)).length;
  const actions = useBriefActions(draft, chosen, choose);
  const addAfter = useRef(actions.addAfter);
  addAfter.current = actions.addAfter;
  const step = content.steps.find((one) => one.id === chosen);
  // What is added while a "for each" is under the hand belongs within it; else it goes to the end.
  const eachHere = step && withinAfter(step) !== undefined ? chosen : undefined;
  const Sheet = step && viewOf(step).Sheet;

  const focusSentence = (by: number): void => {
    const at = sentences.findIndex((one) => one.id === chosen);
    const next = sentences[at + by];
    if (!next && by > 0) document.querySelector<HTMLElement>('[data-add-step] button')?.focus();
    if (!next) return;
    choose(next.id);
    document.querySelector<HTMLElement>(`[data-sentence="${CSS.escape(next.id)}"]`)?.focus();
  };
  const [isFolded, setFolded] = useState(() => readLocal(foldedName) === 'yes');
  const fold = (next: boolean): void => {
    setFolded(next);
    storeLocal(foldedName, next ? 'yes' : undefined);
  };
  const [isSeriesUnfolded, setSeriesUnfolded] = useState(() => readLocal(unfoldedSeriesName) === 'yes');
  const unfoldSeries = (next: boolean): void => {
    setSeriesUnfolded(next);
    storeLocal(unfoldedSeriesName, next ? 'yes' : undefined);
  };
  const reached = (id: string): number | undefined => (isCounting ? undefined : reachedBy(id));
  // What stands after a lookup isn't known before it has answered for the first time.
  const resultsOf = (id: string) => (isFirstLook ? [] : runs.map((one) => one.results[id]));
  const problemsOf = (id: string) => problems.filter((problem) => problem.sentence === id);
  const hasDrifted = (id: string): boolean => drifts.some((one) => one.sentence === id && one.drift.isStopping);
  const oneSentence = (sentence: Sentence) => (
    <BriefSentence
      sentence={sentence}
      isChosen={sentence.id === chosen}
      reached={reached(sentence.id)}
      results={resultsOf(sentence.id)}
      problems={problemsOf(sentence.id)}
      hasDrifted={hasDrifted(sentence.id)}
      actions={actions}
      onChoose={() => choose(sentence.id)}
    />
  );
  // On the worksheet these keys belong to what is focused there.
  const inBrief = (event: KeyboardEvent): boolean =>
    event.target === document.body || (event.target as HTMLElement).closest('[aria-label="Brief"]') !== null;
  useShortcuts({
    arrowdown: (event) => inBrief(event) && focusSentence(1),
    arrowup: (event) => inBrief(event) && focusSentence(-1),
    'alt+arrowdown': () => actions.move(chosen, 1),
    'alt+arrowup': () => actions.move(chosen, -1),
    a: () => {
      fold(false);
      actions.addAfter(chosen);
    },
    b: () => fold(!isFolded),
    d: (event) => inBrief(event) && actions.duplicate(chosen),
    o: (event) => inBrief(event) && actions.toggle(chosen),
    t: () => actions.tryAlone(chosen),
    delete: (event) => inBrief(event) && actions.remove(chosen),
  });
  const found = useMemo(
    (): Command[] => [
      { id: 'add', group: 'Do', text: 'Add a step', keys: 'A', run: () => addAfter.current(chosen) },
      ...sentences.map(
        (one): Command => ({
          id: `sentence-${one.id}`,
          group: 'Find',
          text: one.name ?? sentenceText(one),
          hint: 'sentence',
          run: () => choose(one.id),
        }),
      ),
    ],
    [sentences, choose, chosen],
  );
  useOffer('brief', found);

  return (
    <div
      className={`grid h-full min-h-0 ${isFolded ? 'grid-cols-[46px_minmax(0,1fr)]' : 'grid-cols-[clamp(280px,27.5vw,352px)_minmax(0,1fr)]'} narrow:h-auto narrow:grid-cols-[minmax(0,1fr)]`}
    >
      {isFolded ? (
        <BriefMargin
          sentences={sentences}
          chosen={chosen}
          reached={reached}
          hasProblem={(id) => problems.some((problem) => problem.sentence === id && problem.severity === 'blocks')}
          onChoose={choose}
          onUnfold={() => fold(false)}
        />
      ) : (
        <section
          aria-label="Brief"
          className="relative min-h-0 overflow-y-auto border-r border-line-1 px-4 py-3 narrow:border-r-0 narrow:border-b"
        >
          <div className="-mt-1.5 -mr-1.5 flex justify-end">
            <button
              type="button"
              aria-label="Fold the brief"
              data-hint="Fold the brief to its margin (B)"
              onClick={() => fold(true)}
              className="rounded-sm p-1 text-ink-2 hover:bg-pine-faint narrow:hidden"
            >
              <PanelLeftClose size={16} strokeWidth={1.75} />
            </button>
          </div>
          <ol className="space-y-1">
            {sentences.map((sentence) => {
              const series = allSeries.find(({ steps }) => steps.includes(sentence.id));
              const isHead = series?.steps[0] === sentence.id;
              const folded = isSeriesUnfolded ? undefined : series;
              if (folded && !isHead) return null;
              const ids = folded?.steps ?? [sentence.id];
              return (
                <li key={sentence.id}>
                  {series && isHead && !folded && <FoldSeries series={series} onFold={() => unfoldSeries(false)} />}
                  {folded ? (
                    <SeriesCard
                      series={folded}
                      sentenceOf={(id) => sentences.find((one) => one.id === id)}
                      chosen={chosen}
                      reached={reached}
                      resultsOf={resultsOf}
                      problemsOf={problemsOf}
                      hasDrifted={hasDrifted}
                      onChoose={choose}
                      onUnfold={() => unfoldSeries(true)}
                    />
                  ) : (
                    oneSentence(sentence)
                  )}
                  {actions.isAdding && ids.includes(chosen) && (
                    <AddSentence isOpen onClose={actions.stopAdding} onAdd={(kind) => actions.add(kind, chosen)} />
                  )}
                </li>
              );
            })}
          </ol>
          <AddSentence isOpen={false} onClose={actions.stopAdding} onAdd={(kind) => actions.add(kind, eachHere)} />
          <WholeNote key={content.note ?? ''} note={content.note ?? ''} onKeep={actions.noteWhole} />
        </section>
      )}
      <section aria-label="Worksheet" className="flex min-h-0 min-w-0 flex-col bg-sheet narrow:h-[640px]">
        {step && Sheet && <Sheet key={step.id} step={step} samples={runs} />}
        {!step && <StartSheet onChoose={choose} />}
      </section>
      <ConfirmDialog
        title="Moving this step would break something"
        isOpen={actions.breaking !== undefined}
        onClose={() => actions.decideMove(false)}
        onConfirm={() => actions.decideMove(true)}
        confirm="Move it anyway"
      >
        <ul className="list-disc pl-5">
          {actions.breaking?.map((problem) => (
            <li key={`${problem.sentence}${problem.field}${problem.message}`}>{problem.message}</li>
          ))}
        </ul>
      </ConfirmDialog>
      <TryDrawer stepId={actions.trying} onClose={() => actions.tryAlone(undefined)} />
    </div>
  );
}

interface NoteProps {
  readonly note: string;
  readonly onKeep: (note: string) => void;
}

/** What the whole workflow is for, in the person's words; it stands in the list of workflows as well. */
function WholeNote({ note, onKeep }: NoteProps) {
  return (
    <textarea
      aria-label="Note on the workflow"
      placeholder="A note on the whole workflow"
      defaultValue={note}
      rows={2}
      maxLength={2000}
      onBlur={(event) => event.currentTarget.value.trim() !== note && onKeep(event.currentTarget.value)}
      className="mt-4 ml-9 w-[calc(100%-44px)] resize-none rounded-md border border-transparent bg-transparent px-2.5 py-1 font-serif text-md text-ink-2 italic placeholder:text-ink-3 hover:border-line-1 focus:border-line-input focus:bg-raised"
    />
  );
}
