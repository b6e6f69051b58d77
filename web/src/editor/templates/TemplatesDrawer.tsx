import { type NamedField, type TextTemplate, unknownInLetter } from '@golden/core';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type TextTemplateNow, useAction, useTextTemplates } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { TextField } from '../../parts/Field.tsx';
import { EmptyState, Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { ChangeTemplate } from './ChangeTemplate.tsx';
import { bracesList } from './words.ts';

interface DrawerProps {
  readonly names: readonly NamedField[];
  /** The text as it stands in the field, with fields in braces. */
  readonly typed: string;
  /** The template that it is. */
  readonly from: { readonly id: string; readonly version: number } | undefined;
  /** The text of the field is a template now. */
  readonly onSaved: (id: string) => void;
  readonly onUse: (text: TextTemplate) => void;
  readonly onClose: () => void;
}

/** The templates: texts for several workflows: used, saved and changed where one writes. */
export function TemplatesDrawer({ names, typed, from, onSaved, onUse, onClose }: DrawerProps) {
  const texts = useTextTemplates();
  const [changing, setChanging] = useState<string>();
  const changed = texts.data?.find(({ id }) => id === changing);
  const use = (text: TextTemplate): void => {
    onUse(text);
    onClose();
  };
  return (
    <Drawer title={changed ? `“${changed.name}”` : 'Templates'} isOpen onClose={onClose} isWide>
      {texts.error && <ProblemMessage>{texts.error.message}</ProblemMessage>}
      {texts.isPending && <Loading what="the templates" />}
      {changed && (
        <ChangeTemplate key={changed.id} id={changed.id} names={names} onBack={() => setChanging(undefined)} />
      )}
      {texts.data && !changed && (
        <>
          {typed.trim() !== '' && !from && <SaveThis typed={typed} onSaved={onSaved} />}
          {texts.data.length === 0 ? (
            <EmptyState title="There is no template yet.">
              A template can be used in every workflow, and changed for all of them at once.
            </EmptyState>
          ) : (
            <ul aria-label="Templates" className="space-y-3">
              {texts.data.map((text) => (
                <li key={text.id} className="rounded-md border border-line-1 px-3 py-2.5">
                  <OneText
                    text={text}
                    names={names}
                    isHere={from?.id === text.id && from.version === text.version}
                    onUse={() => use(text)}
                    onChange={() => setChanging(text.id)}
                  />
                </li>
              ))}
            </ul>
          )}
        </>
      )}
    </Drawer>
  );
}

/** Saves what stands in the field as a template. */
function SaveThis({ typed, onSaved }: Pick<DrawerProps, 'typed' | 'onSaved'>) {
  const [name, setName] = useState('');
  const save = useAction(async () => {
    onSaved((await call('POST /api/text-templates', { body: { name, text: typed } })).id);
  }, 'Saved.');
  return (
    <form
      className="mb-5 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(undefined);
      }}
    >
      <div className="flex-1 [&>div]:mb-0">
        <TextField
          label="Save this text as a template called"
          placeholder="such as Thank you for your order"
          value={name}
          maxLength={80}
          required
          onChange={({ target }) => setName(target.value)}
        />
      </div>
      <Button type="submit" disabled={save.isPending || name.trim() === ''}>
        Save it
      </Button>
    </form>
  );
}

interface OneProps {
  readonly text: TextTemplateNow;
  readonly names: readonly NamedField[];
  readonly isHere: boolean;
  readonly onUse: () => void;
  readonly onChange: () => void;
}

function OneText({ text, names, isHere, onUse, onChange }: OneProps) {
  const lacking = unknownInLetter(text.text, names);
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-2">
        <h3 className="font-sans font-semibold">
          {text.name} <span className="font-normal text-ink-2">version {text.version}</span>
        </h3>
        <span className="flex gap-1">
          <Button look="quiet" onClick={onChange} aria-label={`Change “${text.name}”`}>
            Change it
          </Button>
          {isHere ? (
            <span className="self-center text-ink-2">stands here</span>
          ) : (
            <Button onClick={onUse} aria-label={`Use “${text.name}” here`}>
              Use it here
            </Button>
          )}
        </span>
      </div>
      <p className="mt-1 line-clamp-3 whitespace-pre-line text-ink-2">{text.text}</p>
      {lacking.length > 0 && (
        <p className="mt-1 text-brass">This workflow has no {bracesList(lacking)}: it would be sent as it stands.</p>
      )}
    </>
  );
}
