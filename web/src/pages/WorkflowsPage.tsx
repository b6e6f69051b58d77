import { useSettings, useWorkflows } from '../api/queries.ts';
import { EmptyState, Loading } from '../parts/Messages.tsx';
import { NewWorkflowButton } from '../parts/NewWorkflowButton.tsx';
import { WorkflowTable } from '../parts/WorkflowTable.tsx';

export function WorkflowsPage() {
  const workflows = useWorkflows();
  const zone = useSettings().data?.zone ?? 'utc';
  return (
    <div className="px-6 py-4">
      <div className="mb-4 flex items-end justify-between">
        <h1 className="text-2xl">Workflows</h1>
        <NewWorkflowButton />
      </div>
      {workflows.isPending && <Loading what="the workflows" />}
      {workflows.data?.length === 0 && (
        <EmptyState title="No workflows yet." action={<NewWorkflowButton />}>
          A workflow copies records from one app to another. Begin with where they come from; everything saves itself as
          a draft.
        </EmptyState>
      )}
      {workflows.data && workflows.data.length > 0 && <WorkflowTable rows={workflows.data} zone={zone} />}
    </div>
  );
}
