import { type ReadinessProblem, type Sentence, type Series, type StepResult, sentenceText } from '@golden/core';
import { CircleAlert } from 'lucide-react';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { PhraseText } from './PhraseText.tsx';

interface SeriesProps {
  readonly series: Series;
  readonly sentenceOf: (id: string) => Sentence | undefined;
  readonly chosen: string;
  /** How many samples reach a step; undefined while that is being found out. */
  readonly reached: (id: string) => number | undefined;
  readonly resultsOf: (id: string) => readonly (StepResult | undefined)[];
  readonly problemsOf: (id: string) => readonly ReadinessProblem[];
  /** True when a step's place isn't what it was built on. */
  readonly hasDrifted: (id: string) => boolean;
  readonly onChoose: (id: string) => void;
  readonly onUnfold: () => void;
}

/** Messages with waits between them as one sentence, with when each of them goes on a line of time. */
export function SeriesCard(props: SeriesProps) {
  const { series, reached, problemsOf, hasDrifted, onUnfold } = props;
  const [first] = series.steps;
  return (
    <section aria-label="Series of messages" className="grid grid-cols-[30px_1fr] gap-2 px-2 py-2">
      <span className="pt-px text-right text-md text-ink-3">
        {reached(first ?? '') ?? '…'}
        <span className="sr-only"> samples reach this step</span>
      </span>
      <div className="border-l border-line-1 pl-2.5">
        <p className="pr-5 font-serif text-lg leading-snug">
          <PhraseText phrases={series.phrases} />
        </p>
        <ol className="my-1.5">
          {series.messages.map((message, at) => (
            <li key={message.step} className="relative pl-4">
              {/* The line of time, from the first message to the last. */}
              <span
                aria-hidden="true"
                className={`absolute left-[4px] w-px bg-line-input ${at === 0 ? 'top-[14px]' : 'top-0'} ${at === series.messages.length - 1 ? 'h-[14px]' : 'bottom-0'} ${series.messages.length === 1 ? 'hidden' : ''}`}
              />
              <span
                aria-hidden="true"
                className={`absolute top-[10px] left-0 h-[9px] w-[9px] rounded-full border-2 border-pine ${message.isOff ? 'bg-ground' : 'bg-pine'}`}
              />
              <span className="flex flex-wrap items-baseline gap-x-1 py-0.5">
                {message.waits.map(({ step, when }) => (
                  <StepButton key={step} {...props} id={step} text={when} />
                ))}
                {message.waits.length === 0 && <span className="px-1 text-sm text-ink-2">at once</span>}
                <StepButton {...props} id={message.step} text={message.name} isStrong />
                {message.isForSome && <span className="text-sm text-ink-2">for some</span>}
                <Marks results={props.resultsOf(message.step)} />
              </span>
              {[...message.waits.map(({ step }) => step), message.step].flatMap((id) =>
                [...(hasDrifted(id) ? [drifted] : []), ...problemsOf(id)].map((problem) => (
                  <Problem key={id + problem.message} problem={problem} />
                )),
              )}
            </li>
          ))}
        </ol>
        {series.endings.length > 0 && (
          <p className="pr-5 font-serif text-md leading-snug">
            <PhraseText phrases={series.endings} />
          </p>
        )}
        <button type="button" onClick={onUnfold} className="mt-0.5 text-sm text-pine underline">
          Show each step
        </button>
      </div>
    </section>
  );
}

interface ButtonProps extends SeriesProps {
  readonly id: string;
  readonly text: string;
  readonly isStrong?: boolean;
}

function StepButton({ id, text, isStrong = false, chosen, sentenceOf, onChoose }: ButtonProps) {
  const sentence = sentenceOf(id);
  const isChosen = id === chosen;
  return (
    <button
      type="button"
      data-sentence={id}
      aria-current={isChosen ? 'true' : undefined}
      aria-label={sentence ? `${text}: ${sentenceText(sentence)}` : text}
      tabIndex={isChosen ? 0 : -1}
      onClick={() => onChoose(id)}
      className={`min-h-6 rounded-sm border px-1 text-left ${isChosen ? 'border-line-1 bg-sheet text-pine' : 'border-transparent hover:bg-pine-faint'} ${isStrong ? 'font-semibold' : 'text-sm'} ${sentence?.isOff ? 'line-through opacity-70' : ''}`}
    >
      {text}
    </button>
  );
}

function Marks({ results }: { readonly results: readonly (StepResult | undefined)[] }) {
  const unsettled = results.filter((result) => result?.kind === 'unsettled').length;
  return unsettled > 0 ? (
    <span className="text-sm">
      <OutcomeMark look={writeLooks.unsettled} count={unsettled} />
    </span>
  ) : null;
}

const drifted = { severity: 'blocks', message: 'Its place has changed.' } as const;

function Problem({
  problem: { severity, message },
}: {
  readonly problem: Pick<ReadinessProblem, 'severity' | 'message'>;
}) {
  return (
    <span className={`flex gap-1.5 text-sm ${severity === 'blocks' ? 'text-brick' : 'text-brass'}`}>
      <CircleAlert size={14} strokeWidth={1.75} className="mt-0.5 shrink-0" aria-hidden="true" />
      {message}
    </span>
  );
}

/** Above the steps of a series that are shown one by one. */
export function FoldSeries({ series, onFold }: { readonly series: Series; readonly onFold: () => void }) {
  return (
    <button type="button" onClick={onFold} className="ml-12 text-sm text-pine underline">
      Show these {series.messages.length} messages as one
    </button>
  );
}
