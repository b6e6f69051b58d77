import type { ApprovedResult, KindResults } from '@golden/core';
import { MessageCircleQuestion } from 'lucide-react';
import type { StepView } from '../view.ts';
import { AskSheet } from './AskSheet.tsx';

/** A step that asks a person, on screen. */
export const ask: StepView<'ask'> = {
  icon: MessageCircleQuestion,
  add: 'Ask somebody',
  Sheet: AskSheet,
  title: (step) => step.name ?? (step.what.kind === 'approval' ? 'Approval' : 'Answers'),
  cell: (result) => <Said result={result} />,
  story: (result) => <Said result={result} isWhole />,
  counts: { approved: 'approved', answered: 'answered', denied: 'refused', not_asked: 'not asked' },
};

interface SaidProps {
  readonly result: KindResults['ask'];
  readonly isWhole?: boolean;
}

/** What somebody has said, or would be asked: short in a cell, whole in a record's story. */
function Said({ result, isWhole = false }: SaidProps) {
  const { look, short, whole } = said(result);
  return <span className={look}>{isWhole ? whole : short}</span>;
}

interface SaidWords {
  readonly look?: string;
  readonly short: string;
  readonly whole: string;
}

function said(result: KindResults['ask']): SaidWords {
  switch (result.kind) {
    case 'approved':
      return result.isRehearsed ? rehearsed('not asked here') : approvedWords(result);
    case 'answered':
      return result.who === undefined
        ? rehearsed('an example stands for the answer')
        : { short: 'answered', whole: `Answered by ${result.who}` };
    case 'denied':
      return { look: 'text-brass', short: 'not approved', whole: result.why };
    case 'not_asked':
      return { look: 'text-ink-2', short: 'nothing to ask', whole: `Nobody was asked. ${result.why}` };
  }
}

const rehearsed = (how: string): SaidWords => ({
  look: 'text-plum',
  short: 'asked first',
  whole: `Somebody would be asked first; ${how}`,
});

function approvedWords({ who, changes }: Pick<Extract<ApprovedResult, { who: string }>, 'who' | 'changes'>): SaidWords {
  const count = Object.keys(changes).length;
  const changed = count === 0 ? '' : ` with ${count === 1 ? 'one change' : `${count} changes`}`;
  return { short: `approved${changed}`, whole: `Approved${changed} by ${who}` };
}
