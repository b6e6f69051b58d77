import { checkReadiness, startId, writeBrief } from '@golden/core';
import { Filter, PenLine } from 'lucide-react';
import { useMemo, useState } from 'react';
import { BriefSentence } from '../editor/BriefSentence.tsx';
import { ConditionSheet } from '../editor/ConditionSheet.tsx';
import { useEditor } from '../editor/context.tsx';
import { newStepId, withNewStep } from '../editor/edits.ts';
import { MappingSheet } from '../editor/MappingSheet.tsx';
import { StartSheet } from '../editor/StartSheet.tsx';
import { runSample } from '../editor/sample-run.ts';
import { Button } from '../parts/Button.tsx';

/** The brief on the left, the worksheet of the chosen sentence on the right. */
export function WritePage() {
  const { draft, version, connections, samples } = useEditor();
  const [chosen, setChosen] = useState<string>(startId);
  const { content } = draft;
  const names = useMemo(() => Object.fromEntries(connections.map((one) => [one.id, one.name])), [connections]);
  const sentences = writeBrief(content, names);
  const problems = checkReadiness(content);
  const onSheet = useMemo(() => samples.map((sample) => runSample(version, sample)), [samples, version]);
  const step = content.steps.find((one) => one.id === chosen);

  const add = (kind: 'condition' | 'write'): void => {
    const id = newStepId(content, kind);
    draft.change(
      withNewStep(
        kind === 'condition'
          ? { id, kind, condition: { kind: 'all', items: [] } }
          : { id, kind, target: null, mode: 'create_or_update', mapping: {} },
      ),
    );
    setChosen(id);
  };

  return (
    <div className="grid h-full min-h-0 grid-cols-[clamp(280px,27.5vw,352px)_1fr]">
      <section aria-label="Brief" className="min-h-0 overflow-y-auto border-r border-line-1 px-4 py-4">
        <ol className="space-y-1">
          {sentences.map((sentence) => (
            <li key={sentence.id}>
              <BriefSentence
                sentence={sentence}
                isChosen={sentence.id === chosen}
                reached={
                  sentence.id === startId
                    ? samples.length
                    : onSheet.filter((one) => one.reached.has(sentence.id)).length
                }
                results={onSheet.map((one) => one.results[sentence.id])}
                problems={problems.filter((problem) => problem.sentence === sentence.id)}
                onChoose={() => setChosen(sentence.id)}
                onRemoved={() => setChosen(startId)}
              />
            </li>
          ))}
        </ol>
        <div className="mt-3 flex gap-2 pl-9">
          <Button look="quiet" icon={<Filter size={15} strokeWidth={1.75} />} onClick={() => add('condition')}>
            Add a condition
          </Button>
          <Button look="quiet" icon={<PenLine size={15} strokeWidth={1.75} />} onClick={() => add('write')}>
            Add a write
          </Button>
        </div>
      </section>
      <section aria-label="Worksheet" className="flex min-h-0 min-w-0 flex-col bg-sheet">
        {step?.kind === 'condition' && <ConditionSheet key={step.id} step={step} samples={onSheet} />}
        {step?.kind === 'write' && <MappingSheet key={step.id} step={step} samples={onSheet} />}
        {!step && <StartSheet />}
      </section>
    </div>
  );
}
