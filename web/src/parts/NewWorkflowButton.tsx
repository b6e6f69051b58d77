import { Plus } from 'lucide-react';
import { useNavigate } from 'react-router';
import { Button } from './Button.tsx';

/** Leads to the three choices. */
export function NewWorkflowButton() {
  const navigate = useNavigate();
  return (
    <Button look="main" icon={<Plus size={15} />} onClick={() => void navigate('/workflows/new')}>
      New workflow
    </Button>
  );
}
