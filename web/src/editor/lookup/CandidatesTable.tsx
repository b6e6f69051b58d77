import {
  type Candidate,
  type JsonRecord,
  judgeTries,
  type Ladder,
  type PlacedStep,
  type RungTry,
  recordTitle,
  resultsOf,
  type StepResult,
  usuallySure,
} from '@golden/core';
import { lazy, Suspense, useState } from 'react';
import { counted, percentText } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { matchedText } from '../../steps/placed/matched-text.ts';
import { useEditor } from '../draft/context.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { binsOf, type Sureness } from './sureness.ts';

const SureChart = lazy(async () => ({ default: (await import('./SureChart.tsx')).SureChart }));

interface TableProps {
  readonly step: PlacedStep;
  readonly ladder: Ladder;
  readonly samples: readonly SampleOnSheet[];
}

type Verdict = 'found' | 'none' | 'unclear' | 'unknown';

/** One sample at one turn of the lookup. */
interface Looked {
  readonly key: string;
  readonly title: string;
  readonly verdict: Verdict;
  readonly tries: readonly RungTry[];
  /** The record that was remembered, or fetched by its id. */
  readonly linked: JsonRecord | undefined;
  readonly result: StepResult | undefined;
}

const order: Record<Verdict, number> = { unclear: 0, none: 1, found: 2, unknown: 3 };
const words: Record<Verdict, string> = {
  found: 'found',
  none: 'none',
  unclear: 'unclear',
  unknown: 'not looked up yet',
};

/** Each sample's candidates with how sure and why, the unclear ones first; above it how each way did. */
export function CandidatesTable({ step, ladder, samples }: TableProps) {
  const { lookups, isLookingUp, lookupProblem } = useEditor();
  const [shown, setShown] = useState<Verdict>();
  const looked = samples.flatMap((sample): Looked[] => {
    const told = lookups[sample.id] ?? {};
    const turns = Object.entries(told).filter(([id]) => id === step.id || id.startsWith(`${step.id}#`));
    const results = resultsOf(sample.results, step.id);
    if (turns.length === 0)
      return [
        { key: sample.id, title: sample.title, verdict: 'unknown', tries: [], linked: undefined, result: results[0] },
      ];
    return turns.map(([id, answer]) => {
      const number = id.split('#')[1];
      const title = number ? `${sample.title}, no. ${number}` : sample.title;
      if (answer.kind === 'fetched')
        return {
          key: `${sample.id} ${id}`,
          title,
          verdict: answer.found ? 'found' : 'none',
          tries: [],
          linked: answer.found?.record,
          result: sample.results[step.id],
        };
      const tries = answer.kind === 'matched' ? answer.tries : [];
      const linked = answer.kind === 'matched' ? answer.linked?.record : undefined;
      return {
        key: `${sample.id} ${id}`,
        title,
        tries,
        linked,
        result: sample.results[step.id],
        verdict: linked ? 'found' : judgeTries(ladder, tries).kind,
      };
    });
  });
  const sorted = [...looked].sort((a, b) => order[a.verdict] - order[b.verdict]);
  const rows = shown === undefined ? sorted : sorted.filter((one) => one.verdict === shown);
  const count = (verdict: Verdict): number => looked.filter((one) => one.verdict === verdict).length;
  const alike = ladder.rungs.find((rung) => rung.kind === 'alike');
  const sureness = looked.flatMap(({ tries }): Sureness[] => {
    const tried = tries.find((one) => one.rung === alike?.id);
    const best = tried?.candidates[0];
    return tried && best ? [{ probability: best.probability, verdict: judgeTries(ladder, [tried]).kind }] : [];
  });
  return (
    <section aria-label="Candidates" className="px-5 py-3">
      {lookupProblem && <ProblemMessage>{lookupProblem}</ProblemMessage>}
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <h3 className="text-lg">What it finds</h3>
        {(['unclear', 'none', 'found'] as const).map((verdict) => (
          <button
            key={verdict}
            type="button"
            aria-pressed={shown === verdict}
            disabled={count(verdict) === 0}
            onClick={() => setShown(shown === verdict ? undefined : verdict)}
            className={`min-h-6 rounded-sm px-2 disabled:opacity-50 ${shown === verdict ? 'bg-pine text-pine-on' : verdictLook[verdict]}`}
          >
            {count(verdict)} {words[verdict]}
          </button>
        ))}
        {isLookingUp && (
          <span role="status" className="text-sm text-ink-2">
            looking…
          </span>
        )}
        <WaysSummary ladder={ladder} looked={looked} />
      </div>
      {alike?.kind === 'alike' && sureness.length > 0 && (
        <Suspense fallback={null}>
          <SureChart bins={binsOf(sureness)} sure={alike.sure ?? usuallySure} />
        </Suspense>
      )}
      <table className="sheet table-fixed border border-line-1">
        <thead>
          <tr>
            <th scope="col" className="w-[19%]">
              Sample
            </th>
            <th scope="col" className="w-[17%]">
              Result
            </th>
            <th scope="col" className="w-[22%]">
              Candidate
            </th>
            <th scope="col" className="w-[8%] text-right!">
              How sure
            </th>
            <th scope="col">Why</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, 80).map((one) => (
            <SampleRows key={one.key} one={one} ladder={ladder} />
          ))}
        </tbody>
      </table>
      {rows.length > 80 && (
        <p className="mt-1 text-sm text-ink-2">{counted(rows.length - 80, 'more sample')} below these.</p>
      )}
      {samples.length === 0 && <p className="text-ink-2">Samples appear here once the start has a source.</p>}
    </section>
  );
}

const verdictLook: Record<Verdict, string> = {
  found: 'bg-pine-tint text-pine',
  none: 'bg-stone-tint text-stone',
  unclear: 'bg-brass-tint text-brass',
  unknown: 'bg-stone-tint text-stone',
};

/** How many each way found, in the order of the ladder. */
function WaysSummary({ ladder, looked }: { readonly ladder: Ladder; readonly looked: readonly Looked[] }) {
  const linked = looked.filter((one) => one.linked && ladder.rungs.length > 0).length;
  const parts = ladder.rungs.map((rung, at) => {
    // Each way by itself: also those whose candidates are too unlike to ask about are none.
    const verdicts = looked.flatMap(({ tries }) =>
      tries.filter((tried) => tried.rung === rung.id).map((tried) => judgeTries(ladder, [tried]).kind),
    );
    const said = (['found', 'unclear', 'none'] as const)
      .map((kind) => ({ kind, count: verdicts.filter((one) => one === kind).length }))
      .filter(({ kind, count }) => kind === 'found' || count > 0);
    return `way ${at + 1}: ${said.map(({ kind, count }) => `${count} ${kind}`).join(', ')}`;
  });
  return (
    <span className="basis-full text-sm text-ink-2">
      {[...(linked > 0 ? [`${linked} remembered from before`] : []), ...parts].join(' · ')}
    </span>
  );
}

/** A sample with its likeliest candidates, a line each. */
function SampleRows({ one, ladder }: { readonly one: Looked; readonly ladder: Ladder }) {
  const verdict = judgeTries(ladder, one.tries);
  const rung = verdict.kind === 'none' ? undefined : verdict.rung;
  const candidates =
    (
      one.tries.find((tried) => tried.rung === rung) ?? one.tries.find((tried) => tried.candidates.length > 0)
    )?.candidates.slice(0, 3) ?? [];
  const way = ladder.rungs.findIndex((each) => each.id === rung) + 1;
  const mark = {
    found: writeLooks.same,
    none: writeLooks.left_out,
    unclear: writeLooks.unsettled,
    unknown: writeLooks.left_out,
  }[one.verdict];
  const lines: (Candidate | undefined)[] = candidates.length > 0 ? [...candidates] : [undefined];
  return lines.map((candidate, at) => (
    <tr key={candidate?.id ?? 'none'}>
      <td className="break-words">{at === 0 ? one.title : <span className="sr-only">{one.title}</span>}</td>
      <td>
        {at === 0 && (
          <>
            <OutcomeMark look={mark} text={words[one.verdict]} />
            {way > 0 && <span className="ml-1.5 whitespace-nowrap text-sm text-ink-2">way {way}</span>}
          </>
        )}
      </td>
      <td className="break-words">
        {candidate ? recordTitle(candidate.record) : one.linked ? recordTitle(one.linked) : ''}
      </td>
      <td className="text-right">{candidate ? percentText(candidate.probability) : ''}</td>
      <td className="whitespace-normal!" data-hint={candidate && whyText(candidate)}>
        {candidate ? <Why candidate={candidate} /> : <span className="text-ink-2">{noneText(one)}</span>}
      </td>
    </tr>
  ));
}

function noneText(one: Looked): string {
  if (one.linked) return matchedText({ how: 'link' });
  if (one.verdict === 'unknown') return '';
  return one.tries.length > 0 && one.tries.every((tried) => tried.isEmpty) ? 'nothing to search by' : '';
}

/** A field's own name without what it is part of; the parts of an e-mail are said as the e-mail. */
function shortLabel(label: string): string {
  const fields = label
    .replace(/, before the @$/, '')
    .split(', ')
    .map((field) => field.split(' · ').at(-1) ?? field);
  return fields.join(', ');
}

/** A name kept in one field is compared in its two parts; where both come to the same it is said as one. */
function wholeName(labels: readonly string[]): readonly string[] {
  if (!labels.includes('given name') || !labels.includes('family name')) return labels;
  return labels.flatMap((label) => (label === 'given name' ? ['name'] : label === 'family name' ? [] : [label]));
}

/** In a line: what is the same is one group, and what differs another; the exact levels are in the title. */
function byLevel(evidence: Candidate['evidence']): string {
  const groups = new Map<string, Set<string>>();
  for (const { label, level, bits } of evidence) {
    let short = level;
    if (bits > 0 && level.startsWith('same')) short = 'same';
    if (level.startsWith('other')) short = 'differs';
    groups.set(short, (groups.get(short) ?? new Set()).add(shortLabel(label)));
  }
  return [...groups].map(([level, labels]) => `${level}: ${wholeName([...labels]).join(', ')}`).join('; ');
}

const whyText = ({ evidence }: Candidate): string =>
  evidence.map(({ label, level }) => `${label}: ${level}`).join(', ');

/** What speaks for it, then what speaks against it. */
function Why({ candidate }: { readonly candidate: Candidate }) {
  const told = candidate.evidence.filter(({ bearing }) => bearing !== 'empty');
  const speaksFor = byLevel(told.filter(({ bits }) => bits > 0));
  const against = byLevel(told.filter(({ bits }) => bits < 0));
  return (
    <>
      {speaksFor && <span className="text-pine">{speaksFor}</span>}
      {speaksFor && against && ' · '}
      {against && <span className="text-brick">{against}</span>}
      {!speaksFor && !against && <span className="text-ink-2">nothing to compare</span>}
    </>
  );
}
