import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { type Trail, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';

interface SendProps {
  readonly takers: Trail['takers'];
  readonly onClose: () => void;
}

/** The workflows that can be given the record once more, or after all, as it is now. */
export function SendAgain({ takers, onClose }: SendProps) {
  const navigate = useNavigate();
  const [chosen, setChosen] = useState(takers.findIndex(({ isOn }) => isOn));
  const send = useAction(async () => {
    const taker = takers[chosen];
    if (!taker) return;
    const { run } = await call('POST /api/workflows/:id/these', {
      params: { id: taker.id },
      body: { ids: [taker.sourceId] },
    });
    // Whoever comes back finds the page, not this.
    onClose();
    await navigate(`/workflows/${taker.id}/runs/${run}`);
  });
  return (
    <Drawer
      title="Send it again"
      isOpen
      onClose={onClose}
      foot={
        <Button look="main" disabled={chosen < 0 || send.isPending} onClick={() => send.mutate(undefined)}>
          Send it
        </Button>
      }
    >
      <p className="mb-3 text-ink-2">
        It is read anew and goes through the workflow as it is live now. What is there already and the same is left as
        it is.
      </p>
      <fieldset className="space-y-2">
        <legend className="sr-only">By which workflow</legend>
        {takers.map((taker, at) => (
          <label key={`${taker.id} ${taker.sourceId}`} className={`flex gap-2 ${taker.isOn ? '' : 'text-ink-2'}`}>
            <input
              type="radio"
              name="taker"
              checked={chosen === at}
              disabled={!taker.isOn}
              onChange={() => setChosen(at)}
              className="accent-pine"
            />
            <span>
              {taker.name}
              <span className="block text-sm text-ink-2">
                {taker.isOn ? (taker.isSent ? 'was taken in before' : 'brings it in after all') : 'it is off'}
              </span>
            </span>
          </label>
        ))}
      </fieldset>
    </Drawer>
  );
}
