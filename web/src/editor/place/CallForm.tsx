import {
  type CallSpec,
  describeCall,
  isRecord,
  type Place,
  readFieldLines,
  type Value,
  writeFieldLines,
} from '@golden/core';
import { useId, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';

interface CallProps {
  readonly connection: string;
  readonly place: Place | null;
  readonly onChoose: (place: Place) => void;
}

const methods = ['POST', 'PUT', 'PATCH', 'DELETE', 'GET'] as const;

/** A call to an address as a person describes it: what is sent, and what usually comes back. */
export function CallForm({ connection, place, onChoose }: CallProps) {
  const [spec, setSpec] = useState(() => readSpec(place));
  const [fields, setFields] = useState(() => writeFieldLines(spec.fields));
  const [headers, setHeaders] = useState(() => spec.headers.map((one) => `${one.name}: ${one.value}`).join('\n'));
  const [example, setExample] = useState(() => (spec.example ? JSON.stringify(spec.example, null, 2) : ''));
  const [problem, setProblem] = useState('');
  const take = (): void => {
    const answer = readExample(example);
    if (typeof answer === 'string') {
      setProblem(answer);
      return;
    }
    const said: CallSpec = {
      ...spec,
      fields: readFieldLines(fields),
      headers: readHeaders(headers),
      ...(answer && { example: answer }),
    };
    const label = `${said.method} ${said.address}`;
    onChoose({ connection, path: [JSON.stringify(said)], labels: [label], described: describeCall(said) });
  };
  return (
    <div className="w-full max-w-[620px]">
      <div className="flex items-start gap-2">
        <Select
          aria-label="Method"
          value={spec.method}
          onChange={(event) => {
            const method = event.target.value as CallSpec['method'];
            setSpec({ ...spec, method, onlyReads: method === 'GET' });
          }}
          choices={methods.map((method) => ({ value: method, label: method }))}
        />
        <div className="flex-1">
          <input
            aria-label="Address below the connection’s"
            placeholder="/orders/{number}"
            value={spec.address}
            onChange={(event) => setSpec({ ...spec, address: event.target.value })}
            className={`${inputLook} w-full font-mono`}
          />
          <p className="mt-1 text-sm text-ink-2">A name in braces becomes a field that you fill on the sheet.</p>
        </div>
      </div>
      <Lines
        label="Fields of the body, one a line"
        hint="customer/name, total: number, paid: yes or no"
        value={fields}
        onChange={setFields}
      />
      <Lines
        label="Further headers, one a line"
        hint="X-Source: shop. The secret’s header belongs to the connection."
        value={headers}
        onChange={setHeaders}
      />
      <Lines
        label="An answer as it usually comes (JSON)"
        hint="Later steps can use its fields."
        value={example}
        onChange={setExample}
      />
      <label className="mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={spec.onlyReads}
          onChange={(event) => setSpec({ ...spec, onlyReads: event.target.checked })}
          className="accent-pine"
        />
        It only reads, so a rehearsal may really call it
      </label>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      <Button look="main" className="mt-3" onClick={take} disabled={!spec.address.startsWith('/')}>
        Use this call
      </Button>
    </div>
  );
}

interface LinesProps {
  readonly label: string;
  readonly hint: string;
  readonly value: string;
  readonly onChange: (value: string) => void;
}

function Lines({ label, hint, value, onChange }: LinesProps) {
  const id = useId();
  return (
    <div className="mt-2">
      <label htmlFor={id} className="block font-medium">
        {label}
      </label>
      <textarea
        id={id}
        aria-describedby={`${id}-hint`}
        rows={3}
        value={value}
        spellCheck={false}
        onChange={(event) => onChange(event.target.value)}
        className="w-full rounded-md border border-line-input bg-raised px-2 py-1 font-mono text-sm"
      />
      <p id={`${id}-hint`} className="text-sm text-ink-2">
        {hint}
      </p>
    </div>
  );
}

const empty: CallSpec = { method: 'POST', address: '', headers: [], fields: [], onlyReads: false };

function readSpec(place: Place | null): CallSpec {
  try {
    return place?.described.name === 'call' ? (JSON.parse(place.path[0] ?? '') as CallSpec) : empty;
  } catch {
    return empty;
  }
}

function readHeaders(text: string): CallSpec['headers'] {
  return text.split('\n').flatMap((line) => {
    const [, name, value] = /^\s*([\w-]+)\s*:\s*(.+?)\s*$/.exec(line) ?? [];
    return name && value ? [{ name, value }] : [];
  });
}

/** The example as data, nothing when there is none, or the sentence why it can't be read. */
function readExample(text: string): Record<string, unknown> | undefined | string {
  if (text.trim() === '') return undefined;
  try {
    const value = JSON.parse(text) as Value;
    return isRecord(value) ? { ...value } : { value };
  } catch (error) {
    return `The answer is not valid JSON: ${(error as Error).message}.`;
  }
}
