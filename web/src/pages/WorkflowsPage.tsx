import { FileInput } from 'lucide-react';
import { useState } from 'react';
import { useSettings, useWorkflows } from '../api/queries.ts';
import { ImportDrawer } from '../editor/draft/ImportDrawer.tsx';
import { Button } from '../parts/Button.tsx';
import { EmptyState, Loading } from '../parts/Messages.tsx';
import { NewWorkflowButton } from '../parts/NewWorkflowButton.tsx';
import { WorkflowTable } from '../parts/WorkflowTable.tsx';

/** All workflows, by folder. */
export function WorkflowsPage() {
  const workflows = useWorkflows();
  const [isImporting, setImporting] = useState(false);
  const zone = useSettings().data?.zone ?? 'utc';
  return (
    <div className="px-6 py-4">
      <div className="mb-4 flex items-end justify-between">
        <h1 className="text-2xl">Workflows</h1>
        <span className="flex gap-2">
          <Button icon={<FileInput size={15} strokeWidth={1.75} />} onClick={() => setImporting(true)}>
            Import a file
          </Button>
          <NewWorkflowButton />
        </span>
      </div>
      {workflows.isPending && <Loading what="the workflows" />}
      {workflows.data?.length === 0 && (
        <EmptyState title="No workflows yet." action={<NewWorkflowButton />}>
          A workflow copies records from one app to another. Begin with where they come from; everything saves itself as
          a draft.
        </EmptyState>
      )}
      {workflows.data && workflows.data.length > 0 && <WorkflowTable rows={workflows.data} zone={zone} isForManaging />}
      <ImportDrawer text={isImporting ? '' : undefined} onClose={() => setImporting(false)} />
    </div>
  );
}
