import { useQuery } from '@tanstack/react-query';
import { ListChecks } from 'lucide-react';
import { useDeferredValue, useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { TextField } from '../parts/Field.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';

interface TheseProps {
  readonly workflow: string;
  readonly zone: string;
  /** What its records are called: one, and several. */
  readonly singular: string;
  readonly plural: string;
}

/** Lets a person choose records of the source that are sent now, whatever of them was known. */
export function TheseRecordsButton(props: TheseProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button icon={<ListChecks size={14} strokeWidth={1.75} />} onClick={() => setOpen(true)}>
        With these records…
      </Button>
      {isOpen && <TheseDrawer {...props} onClose={() => setOpen(false)} />}
    </>
  );
}

function TheseDrawer({ workflow, zone, singular, plural, onClose }: TheseProps & { readonly onClose: () => void }) {
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const sought = useDeferredValue(text);
  const [chosen, setChosen] = useState<ReadonlyMap<string, string>>(new Map());
  const found = useQuery({
    queryKey: ['records', workflow, sought],
    queryFn: () => call('GET /api/workflows/:id/records', { params: { id: workflow }, query: { text: sought } }),
  });
  const send = useAction(async () => {
    const { run } = await call('POST /api/workflows/:id/these', {
      params: { id: workflow },
      body: { ids: [...chosen.keys()] },
    });
    onClose();
    await navigate(`/workflows/${workflow}/runs/${run}`);
  });
  const choose = (id: string, title: string, isChosen: boolean): void =>
    setChosen((before) => {
      const next = new Map(before);
      if (isChosen) next.set(id, title);
      else next.delete(id);
      return next;
    });
  const shown = new Set(found.data?.map(({ id }) => id));
  const others = [...chosen].filter(([id]) => !shown.has(id));
  return (
    <Drawer
      title="With these records"
      isOpen
      onClose={onClose}
      isWide
      foot={
        <>
          <Button look="main" disabled={chosen.size === 0 || send.isPending} onClick={() => send.mutate(undefined)}>
            {send.isPending ? 'Beginning…' : `Send ${counted(chosen.size, singular, plural)} now`}
          </Button>
          <span className="text-sm text-ink-2">One that was taken in as it is now isn’t sent twice.</span>
        </>
      }
    >
      <TextField
        label={`Search the ${plural}`}
        placeholder="A name, a number, an e-mail address"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      {found.error && <ProblemMessage>{found.error.message}</ProblemMessage>}
      {!found.data && !found.error && <Loading what={`the ${plural}`} />}
      {found.data?.length === 0 && <EmptyState title="None found.">Search for something else.</EmptyState>}
      {found.data && found.data.length > 0 && (
        <ul className="divide-y divide-line-1" aria-label="Records to choose">
          {found.data.map(({ id, title, isSent, when }) => (
            <li key={id}>
              <label className="flex cursor-pointer items-center gap-3 py-2 hover:bg-pine-faint">
                <input
                  type="checkbox"
                  className="accent-pine"
                  checked={chosen.has(id)}
                  onChange={(event) => choose(id, title, event.target.checked)}
                />
                <span className="min-w-0 flex-1 truncate">{title}</span>
                {isSent && <span className="text-sm text-plum">taken in before</span>}
                {when !== null && (
                  <span className="text-sm whitespace-nowrap text-ink-2">{formatInstant(when, zone)}</span>
                )}
              </label>
            </li>
          ))}
        </ul>
      )}
      {others.length > 0 && (
        <p className="mt-3 text-sm text-ink-2">Chosen besides: {others.map(([, title]) => title).join(', ')}</p>
      )}
    </Drawer>
  );
}
