import { keyOf, type Question } from '@golden/core';
import { type FormEvent, useState } from 'react';
import { QuestionInput } from '../editor/questions/QuestionInput.tsx';
import { Button } from '../parts/Button.tsx';
import type { AnswerProps, AskRow } from './types.ts';

/** Questions about records, a card a record. */
export function QuestionCards({ rows, problems, isBusy, showsWords, onAnswer }: AnswerProps) {
  return (
    <ul className="max-w-[620px] space-y-3">
      {rows.map((row) => (
        <li key={row.id} className="rounded-lg border border-line-1 bg-sheet px-4 py-3">
          <Card
            row={row}
            questions={row.asked.what.kind === 'questions' ? row.asked.what.questions : []}
            problems={problems[row.id] ?? {}}
            isBusy={isBusy}
            showsWords={showsWords}
            onAnswer={onAnswer}
          />
        </li>
      ))}
    </ul>
  );
}

interface CardProps extends Pick<AnswerProps, 'isBusy' | 'showsWords' | 'onAnswer'> {
  readonly row: AskRow;
  readonly questions: readonly Question[];
  readonly problems: Readonly<Record<string, string>>;
}

type Answers = Readonly<Record<string, string | boolean | string[]>>;

function Card({ row, questions, problems, isBusy, showsWords, onAnswer }: CardProps) {
  const [answers, setAnswers] = useState<Answers>({});
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    onAnswer([{ itemId: row.id, print: row.print, says: { kind: 'answers', answers: { ...answers } } }]);
  };
  return (
    <form onSubmit={submit} noValidate>
      <h2 className="mb-1 text-lg">{row.title}</h2>
      {showsWords && row.asked.words !== '' && <p className="mb-2 whitespace-pre-wrap">{row.asked.words}</p>}
      {questions.map((question) => {
        const key = keyOf(question);
        return (
          <QuestionInput
            key={key}
            question={question}
            value={answers[key]}
            error={problems[key]}
            onAnswer={(value) => setAnswers((before) => ({ ...before, [key]: value }))}
          />
        );
      })}
      <Button look="main" type="submit" disabled={isBusy}>
        Send
      </Button>
    </form>
  );
}
