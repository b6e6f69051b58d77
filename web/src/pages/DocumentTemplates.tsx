import { FilePen, FileText, X } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction, useDocumentTemplates } from '../api/queries.ts';
import { MakePage } from '../editor/document/page/MakePage.tsx';
import { PageDialog } from '../editor/document/page/PageDialog.tsx';
import { AddTemplate } from '../parts/AddTemplate.tsx';
import { Button } from '../parts/Button.tsx';
import { formatInstant } from '../parts/formats.ts';

/** The templates of documents, with what each takes: added here, given a new edition, taken away. */
export function DocumentTemplates({ zone }: { readonly zone: string }) {
  const { data = [] } = useDocumentTemplates();
  const [changing, setChanging] = useState<string>();
  const remove = useAction(
    (id: string) => call('DELETE /api/document-templates/:id', { params: { id } }),
    'Removed. Workflows that use it go on with it.',
  );
  return (
    <section aria-labelledby="document-templates" className="mt-8">
      <h2 id="document-templates" className="mb-1 text-xl">
        Templates of documents
      </h2>
      <p className="mb-2 text-ink-2">
        A DOCX document of yours in which values stand in braces: {'{number}'}. A line between {'{#lines}'} and{' '}
        {'{/lines}'} comes once for each item; what stands between {'{#if remark}'} and {'{/}'} only where that is
        filled. Or make a page here.
      </p>
      <ul>
        {data.map(({ id, name, ending, edition, at, takes }) => (
          <li key={id} className="flex items-start gap-3 border-b border-line-1 py-1.5">
            <FileText size={16} strokeWidth={1.75} aria-hidden="true" className="mt-1 shrink-0 text-ink-2" />
            <div className="min-w-0 flex-1">
              <p>
                <strong className="font-medium">{name}</strong>{' '}
                <span className="text-sm text-ink-2">
                  {ending.slice(1).toUpperCase()}, edition {edition}, {formatInstant(at, zone)}
                </span>
              </p>
              <p className="text-sm text-ink-2">
                {takes.length === 0 ? 'It takes no values.' : `Takes ${takes.join(', ')}.`}
              </p>
            </div>
            {ending === '.pdf' && (
              <Button
                look="quiet"
                icon={<FilePen size={14} strokeWidth={1.75} />}
                onClick={() => setChanging(id)}
                aria-label={`Change ${name}`}
              >
                Change
              </Button>
            )}
            <Button
              look="quiet"
              icon={<X size={14} />}
              disabled={remove.isPending}
              onClick={() => remove.mutate(id)}
              aria-label={`Remove ${name}`}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <div className="mt-3 flex flex-wrap gap-2">
        <AddTemplate />
        <MakePage />
      </div>
      <PageDialog
        key={changing}
        template={changing}
        isOpen={changing !== undefined}
        onClose={() => setChanging(undefined)}
      />
    </section>
  );
}
