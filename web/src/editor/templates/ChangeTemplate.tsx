import { type NamedField, withTextTemplate } from '@golden/core';
import { ArrowLeft } from 'lucide-react';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { call } from '../../api/client.ts';
import { type TextTemplateView, useAction, useTextTemplate } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { TextField } from '../../parts/Field.tsx';
import { formatInstant } from '../../parts/formats.ts';
import { readLocal, storeLocal } from '../../parts/local-settings.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import type { LetterHandle } from '../filling/LetterEditor.tsx';
import { TemplateUses } from './TemplateUses.tsx';

const LetterEditor = lazy(() => import('../filling/LetterEditor.tsx'));

interface ChangeProps {
  readonly id: string;
  readonly names: readonly NamedField[];
  readonly onBack: () => void;
}

/** One template: its name and words, where it is used, and what it said before. */
export function ChangeTemplate({ id, names, onBack }: ChangeProps) {
  const { draft } = useEditor();
  const [isFlushed, setFlushed] = useState(false);
  // What was changed here a moment ago counts as well.
  useEffect(() => {
    void draft.flush().finally(() => setFlushed(true));
  }, [draft.flush]);
  const text = useTextTemplate(id, isFlushed);
  if (text.error) return <ProblemMessage>{text.error.message}</ProblemMessage>;
  if (!text.data) return <Loading what="the template" />;
  return <OneText text={text.data} names={names} onBack={onBack} />;
}

interface OneProps {
  readonly text: TextTemplateView;
  readonly names: readonly NamedField[];
  readonly onBack: () => void;
}

function OneText({ text, names, onBack }: OneProps) {
  const { draft, workflow, zone } = useEditor();
  const unsaved = `golden-text-template-${text.id}`;
  const [name, setName] = useState(text.name);
  const [typed, setTyped] = useState(() => readLocal(unsaved) ?? text.text);
  const handle = useRef<LetterHandle>(null);
  const type = (next: string): void => {
    setTyped(next);
    // Words that were typed outlast the drawer.
    storeLocal(unsaved, next === text.text ? undefined : next);
  };
  const isOther = typed.trim() !== text.text;
  const save = useAction(async () => {
    await call('PUT /api/text-templates/:id', {
      params: { id: text.id },
      body: { since: text.version, name, text: typed },
    });
    storeLocal(unsaved, undefined);
  }, 'Saved.');
  const remove = useAction(async () => {
    await call('DELETE /api/text-templates/:id', { params: { id: text.id } });
    storeLocal(unsaved, undefined);
    onBack();
  }, 'Removed. Workflows that use it have its words still.');
  const put = useAction(async (ids: readonly string[]) => {
    const others = ids.filter((one) => one !== workflow.id);
    if (others.length > 0)
      await call('POST /api/text-templates/:id/drafts', { params: { id: text.id }, body: { workflows: others } });
    // The one that is open here is changed where its undo is.
    if (ids.includes(workflow.id)) {
      draft.change((content) => withTextTemplate(content, text));
      await draft.flush();
    }
  }, 'The new words are in.');
  return (
    <>
      <Button look="quiet" icon={<ArrowLeft size={14} strokeWidth={1.75} />} onClick={onBack}>
        All templates
      </Button>
      <div className="mt-3">
        <TextField label="Name" value={name} maxLength={80} onChange={({ target }) => setName(target.value)} />
        <Suspense fallback={<Loading what="the editor" />}>
          <LetterEditor value={typed} names={names} label="Words of the template" handle={handle} onChange={type} />
        </Suspense>
        <div className="mt-2 flex flex-wrap items-center gap-2">
          <Button
            disabled={
              save.isPending || name.trim() === '' || typed.trim() === '' || (!isOther && name.trim() === text.name)
            }
            onClick={() => save.mutate(undefined)}
          >
            {isOther ? `Save as version ${text.version + 1}` : 'Save the name'}
          </Button>
          {isOther && (
            <Button look="quiet" onClick={() => type(text.text)}>
              Back to version {text.version}
            </Button>
          )}
          <Button look="quiet" disabled={remove.isPending} onClick={() => remove.mutate(undefined)}>
            Remove this template
          </Button>
        </div>
      </div>
      <TemplateUses text={text} isBusy={put.isPending} onPut={(ids) => put.mutate(ids)} />
      {text.versions.length > 1 && (
        <section aria-label="Earlier versions" className="mt-6">
          <h3 className="mb-1 font-sans font-semibold">Earlier versions</h3>
          <ul className="space-y-2">
            {text.versions.slice(1).map((one) => (
              <li key={one.number} className="rounded-md border border-line-1 px-3 py-2">
                <div className="flex items-baseline justify-between gap-2">
                  <span className="text-ink-2">
                    Version {one.number}, {formatInstant(one.at, zone)}
                  </span>
                  <Button look="quiet" aria-label={`Take version ${one.number} again`} onClick={() => type(one.text)}>
                    Take it again
                  </Button>
                </div>
                <p className="line-clamp-3 whitespace-pre-line text-ink-2">{one.text}</p>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
