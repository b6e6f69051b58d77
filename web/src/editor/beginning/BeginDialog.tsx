import { useQuery } from '@tanstack/react-query';
import { Play, Plus } from 'lucide-react';
import { type FormEvent, useState } from 'react';
import { call } from '../../api/client.ts';
import { readAnew, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { Loading } from '../../parts/Messages.tsx';
import { QuestionInput } from '../questions/QuestionInput.tsx';

interface BeginProps {
  readonly id: string;
  readonly name: string;
  readonly look?: 'main' | 'plain';
}

/** Begins a live workflow by hand: asks for what it needs first. */
export function BeginButton({ id, name, look = 'plain' }: BeginProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button
        look={look}
        icon={<Play size={14} strokeWidth={1.75} />}
        onClick={() => setOpen(true)}
        aria-label={`Begin ${name}`}
      >
        Begin…
      </Button>
      {isOpen && <BeginDrawer id={id} name={name} onClose={() => setOpen(false)} />}
    </>
  );
}

/** Takes what somebody would give who begins a draft, as a sample for it. */
export function TypeInButton({ id, name }: Pick<BeginProps, 'id' | 'name'>) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button icon={<Plus size={14} />} onClick={() => setOpen(true)}>
        Type in a sample
      </Button>
      {isOpen && <BeginDrawer id={id} name={name} onClose={() => setOpen(false)} isSample />}
    </>
  );
}

interface DrawerProps extends Pick<BeginProps, 'id' | 'name'> {
  readonly onClose: () => void;
  /** What is given is a sample of the draft, and begins nothing. */
  readonly isSample?: boolean;
}

function BeginDrawer({ id, name, onClose, isSample = false }: DrawerProps) {
  const { data } = useQuery({
    queryKey: ['workflow', id, 'asks'],
    queryFn: () => call('GET /api/workflows/:id/asks', { params: { id } }),
  });
  const [answers, setAnswers] = useState<Readonly<Record<string, unknown>>>({});
  const begin = useAction(
    async () => {
      if (isSample) {
        await call('POST /api/workflows/:id/typed-in', { params: { id }, body: { answers } });
        await call('GET /api/workflows/:id/samples', { params: { id }, query: { anew: 'yes' } });
        for (const one of ['samples', 'profile', 'lookups', 'counts'] as const) readAnew(one);
      } else if (data?.asks) await call('POST /api/workflows/:id/begin', { params: { id }, body: { answers } });
      else await call('POST /api/workflows/:id/check', { params: { id } });
      onClose();
    },
    isSample ? 'Added as a sample.' : 'Begun.',
  );
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    begin.mutate(undefined);
  };
  return (
    <Drawer title={name} isOpen onClose={onClose}>
      {!data ? (
        <Loading what="what it needs" />
      ) : (
        <form onSubmit={submit}>
          {(data.asks ?? []).map((ask) => (
            <QuestionInput
              key={ask.label}
              question={ask}
              value={answers[ask.label]}
              onAnswer={(value) => setAnswers((before) => ({ ...before, [ask.label]: value }))}
            />
          ))}
          {(data.asks ?? []).length === 0 && (
            <p className="mb-4 text-ink-2">It begins at once, and needs nothing more.</p>
          )}
          <Button look="main" type="submit" disabled={begin.isPending}>
            {begin.isPending ? 'One moment…' : isSample ? 'Add it' : 'Begin'}
          </Button>
        </form>
      )}
    </Drawer>
  );
}
