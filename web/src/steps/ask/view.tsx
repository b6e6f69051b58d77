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
  counts: {
    would_ask: 'asked first',
    approved: 'approved',
    answered: 'answered',
    denied: 'refused',
    not_asked: 'not asked',
  },
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
      return approvedWords(result);
    case 'answered':
      return { short: 'answered', whole: `Answered by ${result.who}` };
    case 'would_ask':
      return {
        look: 'text-plum',
        short: 'asked first',
        whole: `Somebody would be asked first; ${result.what === 'approval' ? 'not asked here' : 'an example stands for the answer'}`,
      };
    case 'denied':
      return { look: 'text-brass', short: 'not approved', whole: result.why };
    case 'not_asked':
      return { look: 'text-ink-2', short: 'nothing to ask', whole: `Nobody was asked. ${result.why}` };
  }
}

function approvedWords({ who, changes }: ApprovedResult): SaidWords {
  const count = Object.keys(changes).length;
  const changed = count === 0 ? '' : ` with ${count === 1 ? 'one change' : `${count} changes`}`;
  return { short: `approved${changed}`, whole: `Approved${changed} by ${who}` };
}
