import { Check, CloudAlert } from 'lucide-react';
import { useEffect, useState } from 'react';
import type { Workflow } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { formatInstant } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import type { Draft } from './use-draft.ts';

/** The workflow's name, which can be changed where it stands. */
export function NameInput({ draft }: { readonly draft: Draft }) {
  const [name, setName] = useState(draft.content.name);
  useEffect(() => setName(draft.content.name), [draft.content.name]);
  const keep = (): void => {
    const given = name.trim();
    if (given === '') setName(draft.content.name);
    else if (given !== draft.content.name) draft.change((content) => ({ ...content, name: given }));
  };
  return (
    <h1 className="min-w-0 flex-1">
      <input
        aria-label="Name of the workflow"
        value={name}
        maxLength={120}
        onChange={(event) => setName(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        className="-ml-1 w-full max-w-[640px] truncate rounded-sm border border-transparent bg-transparent px-1 font-serif text-xl leading-tight hover:border-line-1"
      />
    </h1>
  );
}

/** How the draft stands towards the server, and towards what is live. */
export function SaveNote({
  draft,
  workflow,
  zone,
}: {
  readonly draft: Draft;
  readonly workflow: Workflow;
  readonly zone: string;
}) {
  const { state } = draft;
  if (state.kind === 'unsaved') {
    return (
      <span role="alert" className="flex items-center gap-1.5 text-sm text-brick">
        <CloudAlert size={15} aria-hidden="true" className="shrink-0" />
        {state.isKept
          ? 'Not saved yet, but kept on this machine.'
          : 'Not saved yet, and this browser’s storage is full: keep this window open.'}{' '}
        {state.message}
      </span>
    );
  }
  const live =
    workflow.liveVersion === null
      ? ''
      : workflow.isDraftChanged
        ? ` · differs from version ${workflow.liveVersion}, which is live`
        : ` · version ${workflow.liveVersion} is live`;
  const off = workflow.liveVersion !== null && !workflow.isOn ? ', switched off' : '';
  return (
    <span role="status" className="flex min-w-0 items-center gap-1.5 text-sm text-ink-2">
      <Check size={15} aria-hidden="true" className="shrink-0" />
      <span className="truncate">
        {state.kind === 'saved' ? `Draft saved ${formatInstant(state.at, zone)}` : 'Saving…'}
        {live}
        {off}
      </span>
    </span>
  );
}

/** The draft was changed elsewhere as well: which of the two counts is asked. */
export function ConflictNote({ draft }: { readonly draft: Draft }) {
  if (draft.state.kind !== 'conflict') return null;
  return (
    <div className="px-5 pt-2">
      <ProblemMessage
        action={
          <span className="flex gap-2">
            <Button onClick={() => draft.resolve('theirs')}>Use the other version</Button>
            <Button onClick={() => draft.resolve('mine')}>Keep my version</Button>
          </span>
        }
      >
        This workflow was changed in another window. Nothing is overwritten until you choose.
      </ProblemMessage>
    </div>
  );
}
