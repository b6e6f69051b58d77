import { Plus } from 'lucide-react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useDo } from '../api/queries.ts';
import { Button } from './Button.tsx';

export function NewWorkflowButton() {
  const navigate = useNavigate();
  const add = useDo(async () => {
    const made = await call('POST /api/workflows', { body: { name: 'New workflow' } });
    await navigate(`/workflows/${made.id}`);
  });
  return (
    <Button look="main" icon={<Plus size={15} />} disabled={add.isPending} onClick={() => add.mutate(undefined)}>
      New workflow
    </Button>
  );
}
