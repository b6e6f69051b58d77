import type { WriteStep } from '@golden/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { Drawer } from '../../parts/Drawer.tsx';
import { SelectField } from '../../parts/Field.tsx';
import { EmptyState, Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { DocumentPreview } from '../document/DocumentPreview.tsx';
import { useEditor } from '../draft/context.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';

interface PayloadProps {
  readonly step: WriteStep;
  readonly samples: readonly SampleOnSheet[];
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** What will be sent for a sample, exactly as the app gets it; and what it made of it when it was sent for real. */
export function PayloadDrawer({ step, samples, isOpen, onClose }: PayloadProps) {
  const { workflow, draft } = useEditor();
  const [asked, setAsked] = useState('');
  const chosen = samples.find((one) => one.id === asked) ?? samples[0];
  const payload = useQuery({
    queryKey: ['payload', workflow.id, step.id, chosen?.id, draft.state],
    enabled: isOpen && chosen !== undefined,
    queryFn: async () => {
      await draft.flush();
      return call('POST /api/workflows/:id/payload', {
        params: { id: workflow.id },
        body: { step: step.id, sourceId: chosen?.sample.id ?? '', record: chosen?.record ?? {} },
      });
    },
  });
  return (
    <Drawer
      title={payload.data?.document ? 'The document' : 'What will be sent'}
      isOpen={isOpen}
      onClose={onClose}
      isWide
    >
      {!chosen ? (
        <EmptyState title="No sample reaches this step.">Choose samples on the sheet first.</EmptyState>
      ) : (
        <>
          <SelectField
            label="Sample"
            value={chosen.id}
            onChange={(event) => setAsked(event.target.value)}
            choices={samples.map((one) => ({ value: one.id, label: one.title }))}
          />
          {payload.error && <ProblemMessage>{payload.error.message}</ProblemMessage>}
          {payload.isPending && <Loading what="what would be sent" />}
          {payload.data && (
            <>
              {payload.data.problem && <ProblemMessage>{payload.data.problem}</ProblemMessage>}
              {payload.data.document && <DocumentPreview document={payload.data.document} />}
              {payload.data.body !== null && !payload.data.document && (
                <>
                  <p className="mb-1 text-ink-2">
                    {payload.data.isExact
                      ? 'The body of the request. Nothing has been sent. The mark by which Golden Relay recognises its own writes is added when it is sent.'
                      : 'The values by field. This app stores them in a file.'}
                  </p>
                  <Json label="What will be sent" value={payload.data.body} />
                </>
              )}
              {payload.data.made && !payload.data.document && (
                <>
                  <h3 className="mt-4 mb-1 font-sans font-semibold">What the app stored when it was last sent</h3>
                  <Json label="What the app stored" value={payload.data.made} />
                </>
              )}
            </>
          )}
        </>
      )}
    </Drawer>
  );
}

function Json({ label, value }: { readonly label: string; readonly value: unknown }) {
  return (
    <section
      // What is longer than its box scrolls; the keyboard reaches it too.
      // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
      tabIndex={0}
      aria-label={label}
      className="max-h-[360px] overflow-auto rounded-md border border-line-1 bg-paper p-3"
    >
      <pre className="font-mono text-sm">{JSON.stringify(value, null, 2)}</pre>
    </section>
  );
}
