import {
  answerStopWords,
  isTextMessage,
  longestUnsubscribeWords,
  purposes,
  unsubscribeWords,
  type WriteStep,
} from '@golden/core';
import { useState } from 'react';
import { inputLook, Select } from '../../parts/Field.tsx';

/** What a message is for, and how news says that one can unsubscribe. */
export function PurposeChoice({
  step,
  onChange,
}: {
  readonly step: WriteStep;
  readonly onChange: (next: Partial<WriteStep>) => void;
}) {
  const described = step.target?.described;
  const isText = described !== undefined && isTextMessage(described);
  const [words, setWords] = useState(step.unsubscribeWords ?? '');
  return (
    <>
      <Select
        aria-label="What it is for"
        data-hint="Whoever unsubscribes gets no more news from you, and still gets service: orders, invoices, answers."
        value={step.purpose ?? ''}
        onChange={({ target }) => onChange({ purpose: purposes.find((one) => one === target.value) })}
        choices={[
          ...(step.purpose === undefined ? [{ value: '', label: 'service or news? Choose' }] : []),
          { value: 'service', label: 'service: they wait for it' },
          { value: 'news', label: 'news: only to who hasn’t unsubscribed' },
        ]}
      />
      {step.purpose === 'news' && (
        <label className="flex min-w-0 flex-1 items-center gap-2 text-ink-2">
          ends with
          <input
            aria-label={isText ? 'Words about how to unsubscribe' : 'Words before the unsubscribe link'}
            value={words}
            maxLength={longestUnsubscribeWords}
            placeholder={isText ? answerStopWords : unsubscribeWords}
            onChange={({ target }) => setWords(target.value)}
            onBlur={() => onChange({ unsubscribeWords: words.trim() || undefined })}
            className={`${inputLook} min-w-0 flex-1`}
          />
          {!isText && <span className="whitespace-nowrap">: link</span>}
        </label>
      )}
    </>
  );
}
