import { type Field, fieldsOfPage, type JsonRecord, type Page, proposePage } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { call } from '../../../api/client.ts';
import { useAction, useDocumentTemplates } from '../../../api/queries.ts';
import { Button } from '../../../parts/Button.tsx';
import { asBase64 } from '../../../parts/bytes.ts';
import { inputLook, Select } from '../../../parts/Field.tsx';
import { readLocal, storeLocal } from '../../../parts/local-settings.ts';
import { Loading, ProblemMessage } from '../../../parts/Messages.tsx';
import { inHand, type PageInHand, pageOf } from './blocks.ts';
import { namesOf } from './names.ts';
import { PageBlocks } from './PageBlocks.tsx';
import { PagePreview } from './PagePreview.tsx';
import { TextWithValues } from './TextWithValues.tsx';

/** What a page is made for: what its source holds. */
export interface PageSource {
  readonly singular: string;
  readonly fields: readonly Field[];
}

interface DialogProps {
  /** The template that is changed; absent for a new page. */
  readonly template?: string | undefined;
  readonly source?: PageSource | undefined;
  /** Values of a sample, to see it with. */
  readonly record?: JsonRecord | undefined;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  /** Told the template and its newest edition, once it is saved. */
  readonly onSaved?: (saved: { readonly id: string; readonly name: string; readonly edition: number }) => void;
}

/** A page that is made here: what stands on it at the left, the page itself at the right. */
export function PageDialog({ template, isOpen, onClose, ...rest }: DialogProps) {
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink-1/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-3 z-50 flex flex-col rounded-lg border border-line-1 bg-sheet"
        >
          <header className="flex items-center justify-between border-b border-line-1 px-5 py-2.5">
            <Dialog.Title className="font-serif text-xl">
              {template === undefined ? 'A new page' : 'Change the page'}
            </Dialog.Title>
            <Dialog.Close className="rounded-md p-1 text-ink-2 hover:bg-pine-faint" aria-label="Close">
              <X size={18} strokeWidth={1.75} />
            </Dialog.Close>
          </header>
          {template === undefined ? (
            <Editor saved={inHand('', proposePage(rest.source ?? nothing))} onClose={onClose} {...rest} />
          ) : (
            <Loaded template={template} onClose={onClose} {...rest} />
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const nothing: PageSource = { singular: 'document', fields: [] };

type Rest = Omit<DialogProps, 'template' | 'isOpen'>;

function Loaded({ template, ...rest }: Rest & { readonly template: string }) {
  const { data, error } = useQuery({
    queryKey: ['page', template],
    queryFn: () => call('GET /api/document-templates/:id/page', { params: { id: template } }),
    staleTime: 0,
    gcTime: 0,
  });
  if (error)
    return (
      <div className="p-5">
        <ProblemMessage>{error.message}</ProblemMessage>
      </div>
    );
  if (!data) return <Loading what="the page" />;
  return <Editor key={data.edition} template={template} saved={inHand(data.name, data.page as Page)} {...rest} />;
}

interface EditorProps extends Rest {
  readonly template?: string;
  readonly saved: PageInHand;
}

function Editor({ template, saved, source, record, onClose, onSaved }: EditorProps) {
  // What was typed outlasts the dialog and a reload, until it is saved or left.
  const [kept] = useState(() => `golden-page-${template ?? `new-${source?.singular ?? ''}`}`);
  const [typed, setTyped] = useState<PageInHand | undefined>(() => readKept(kept));
  // Until something is typed it follows what it begins with: what the source holds can be known a moment later.
  const hand = typed ?? saved;
  const isChanged = JSON.stringify(hand) !== JSON.stringify(saved);
  const change = (next: Partial<PageInHand>): void => {
    const changed = { ...hand, ...next };
    setTyped(changed);
    storeLocal(kept, JSON.stringify(changed));
  };
  const leave = (): void => {
    storeLocal(kept, undefined);
    onClose();
  };
  const templates = useDocumentTemplates().data ?? [];
  const name = hand.name.trim();
  const isTaken = template === undefined && templates.some((one) => one.name === name);
  const page = pageOf(hand);
  const names = namesOf(page, source?.fields ?? []);
  const save = useAction(async () => {
    const bytes = await asBase64(new Blob([JSON.stringify(page)]));
    const made = await call('POST /api/document-templates', { body: { name: `${name}.json`, bytes } });
    onSaved?.(made);
    leave();
  }, 'Saved.');
  return (
    <>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,480px)_minmax(0,1fr)] max-[900px]:grid-cols-1">
        {/* What is longer than the window scrolls; the keyboard reaches it too. */}
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
        <div tabIndex={0} className="min-h-0 overflow-y-auto border-r border-line-1 px-5 py-3">
          <div className="mb-3 flex items-end gap-2">
            <label className="min-w-0 flex-1">
              <span className="mb-1 block font-medium">Name of the template</span>
              <input
                value={hand.name}
                maxLength={100}
                readOnly={template !== undefined}
                placeholder="Delivery note"
                onChange={({ target }) => change({ name: target.value })}
                className={`${inputLook} w-full read-only:bg-paper read-only:text-ink-2`}
              />
            </label>
            <Select
              aria-label="Size of the paper"
              value={hand.size}
              onChange={({ target }) => change({ size: target.value as Page['size'] })}
              choices={[
                { value: 'A4', label: 'A4' },
                { value: 'Letter', label: 'Letter' },
              ]}
            />
          </div>
          <PageBlocks blocks={hand.blocks} names={names} onChange={(blocks) => change({ blocks })} />
          <div className="mt-3">
            <TextWithValues
              label="Foot of each page"
              isLabelShown
              value={hand.footer}
              placeholder="Page {page} of {pages}"
              names={['page', 'pages', ...names.values]}
              onChange={(footer) => change({ footer })}
            />
          </div>
        </div>
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
        <div tabIndex={0} className="min-h-0 overflow-y-auto bg-paper px-5 py-3">
          <PagePreview name={name || 'Page'} page={page} record={record && fits(page, record) ? record : undefined} />
        </div>
      </div>
      <footer className="flex flex-wrap items-center gap-2 border-t border-line-1 bg-paper px-5 py-2.5">
        <Button
          look="main"
          disabled={save.isPending || name === '' || isTaken || (template !== undefined && !isChanged)}
          onClick={() => save.mutate(undefined)}
        >
          {template === undefined ? 'Save the page' : 'Save as a new edition'}
        </Button>
        {isChanged && (
          <Button look="quiet" onClick={leave}>
            {template === undefined ? 'Throw it away' : 'Leave it as it was'}
          </Button>
        )}
        <span className="text-sm text-ink-2">
          {said({
            isTaken,
            name,
            isNew: template === undefined,
            isRecord: record !== undefined,
            isUsed: onSaved !== undefined,
          })}
        </span>
      </footer>
    </>
  );
}

function said({
  isTaken,
  name,
  isNew,
  isRecord,
  isUsed,
}: {
  readonly isTaken: boolean;
  readonly name: string;
  readonly isNew: boolean;
  readonly isRecord: boolean;
  /** Changed for the workflow that is open. */
  readonly isUsed: boolean;
}): string {
  if (isTaken) return `There is a template “${name}” already. Choose another name.`;
  if (isNew && name === '') return 'Give it a name.';
  const shown = isRecord ? 'Shown with the values of a sample.' : 'Shown with examples for its values.';
  if (isNew) return shown;
  return isUsed
    ? `${shown} This draft takes the new edition; what is live goes on with its own.`
    : `${shown} Workflows go on with their edition until you choose the new one.`;
}

/** A sample says something only where it has values for the page. */
function fits(page: Page, record: JsonRecord): boolean {
  try {
    return fieldsOfPage(page).some(({ label }) => Object.hasOwn(record, label));
  } catch {
    return false;
  }
}

function readKept(name: string): PageInHand | undefined {
  try {
    return JSON.parse(readLocal(name) ?? 'null') ?? undefined;
  } catch {
    return undefined;
  }
}
