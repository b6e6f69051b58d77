import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';

/** Starts the practice apps and opens the first draft between two of them. */
export function useStartPractising() {
  const navigate = useNavigate();
  return useAction(async () => {
    const { workflow } = await call('POST /api/practice', {});
    await navigate(`/workflows/${workflow}`);
  }, 'The practice apps are running and connected. This is a first draft: rehearse it.');
}
