import { newQuestionKey, type Question, type QuestionType } from '@golden/core';
import { ArrowDown, ArrowUp, Plus, X } from 'lucide-react';
import { useRef } from 'react';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';

const typeLabels: Readonly<Record<QuestionType, string>> = {
  text: 'text',
  long_text: 'long text',
  choice: 'one of a list',
  choices: 'several of a list',
  integer: 'whole number',
  decimal: 'number',
  date: 'date',
  boolean: 'yes or no',
  email: 'e-mail address',
  phone: 'telephone number',
  file: 'file',
};

interface EditorProps {
  readonly questions: readonly Question[];
  /** The kinds of answer that are offered. */
  readonly types: readonly QuestionType[];
  readonly onChange: (questions: Question[]) => void;
  /** Whether each can have a line that helps to answer it. */
  readonly hasHelp?: boolean;
}

/** What people are asked: each answer becomes a field. */
export function QuestionsEditor({ questions, types, onChange, hasHelp = false }: EditorProps) {
  const list = useRef<HTMLOListElement>(null);
  const set = (at: number, next: Partial<Question>): void =>
    onChange(questions.map((one, index) => (index === at ? { ...one, ...next } : one)));
  const move = (at: number, by: number): void => {
    const one = questions[at];
    if (one) onChange(questions.toSpliced(at, 1).toSpliced(at + by, 0, one));
  };
  const add = (): void => {
    onChange([...questions, { key: newQuestionKey(questions), label: '', type: types[0] ?? 'text', isRequired: true }]);
    requestAnimationFrame(() =>
      list.current?.querySelector<HTMLElement>(':scope > li:last-child input')?.focus({ preventScroll: false }),
    );
  };
  return (
    <section aria-label="Questions">
      <ol ref={list} className="space-y-2">
        {questions.map((question, at) => (
          <li key={question.key ?? at} className="rounded-md border border-line-1 px-2.5 py-2">
            <OneQuestion
              question={question}
              at={at}
              types={types}
              hasHelp={hasHelp}
              isLast={at === questions.length - 1}
              onChange={(next) => set(at, next)}
              onMove={(by) => move(at, by)}
              onRemove={() => onChange(questions.toSpliced(at, 1))}
            />
          </li>
        ))}
      </ol>
      <Button look="quiet" className="mt-1.5" icon={<Plus size={14} />} onClick={add} disabled={questions.length >= 60}>
        {questions.length === 0 ? 'Ask for something' : 'Another question'}
      </Button>
    </section>
  );
}

interface OneProps {
  readonly question: Question;
  readonly at: number;
  readonly types: readonly QuestionType[];
  readonly hasHelp: boolean;
  readonly isLast: boolean;
  readonly onChange: (next: Partial<Question>) => void;
  readonly onMove: (by: number) => void;
  readonly onRemove: () => void;
}

function OneQuestion({ question, at, types, hasHelp, isLast, onChange, onMove, onRemove }: OneProps) {
  const { label, type, isRequired, options = [], help = '' } = question;
  const number = at + 1;
  return (
    <div className="space-y-1.5">
      <div className="flex items-center gap-1">
        <input
          aria-label={`Question ${number}`}
          placeholder="What is asked"
          value={label}
          onChange={({ target }) => onChange({ label: target.value })}
          className={`${inputLook} min-w-0 flex-1`}
        />
        <Button
          look="quiet"
          aria-label={`Move question ${number} up`}
          icon={<ArrowUp size={14} />}
          disabled={at === 0}
          onClick={() => onMove(-1)}
        />
        <Button
          look="quiet"
          aria-label={`Move question ${number} down`}
          icon={<ArrowDown size={14} />}
          disabled={isLast}
          onClick={() => onMove(1)}
        />
        <Button look="quiet" aria-label={`Remove question ${number}`} icon={<X size={14} />} onClick={onRemove} />
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <Select
          aria-label={`Kind of answer ${number}`}
          value={type}
          onChange={({ target }) => onChange({ type: target.value as QuestionType })}
          choices={types.map((value) => ({ value, label: typeLabels[value] }))}
        />
        <label className="flex items-center gap-1 text-sm">
          <input
            type="checkbox"
            className="accent-pine"
            checked={isRequired}
            onChange={({ target }) => onChange({ isRequired: target.checked })}
          />
          required
        </label>
        {hasHelp && (
          <input
            aria-label={`Help for question ${number}`}
            placeholder="Help, if it needs some"
            value={help}
            onChange={({ target }) => onChange({ help: target.value })}
            className={`${inputLook} min-w-[140px] flex-1`}
          />
        )}
      </div>
      {(type === 'choice' || type === 'choices') && (
        <textarea
          aria-label={`Choices of question ${number}, one a line`}
          placeholder={'Choices, one a line'}
          rows={Math.min(8, Math.max(2, options.length + 1))}
          defaultValue={options.join('\n')}
          onChange={({ target }) =>
            onChange({
              options: [...new Set(target.value.split('\n').map((one) => one.trim()))].filter((one) => one !== ''),
            })
          }
          className={`${inputLook} h-auto w-full py-1.5`}
        />
      )}
    </div>
  );
}
