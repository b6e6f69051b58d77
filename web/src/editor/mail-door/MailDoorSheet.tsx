import { emptyContent, type Place, type Start } from '@golden/core';
import { Link } from 'react-router';
import { call } from '../../api/client.ts';
import { type MailDoorView, useAction, useMailDoor } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { CopyText } from '../door/CopyText.tsx';
import { NewAddress } from '../door/NewAddress.tsx';
import { useLearning } from '../door/use-learning.ts';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';
import { CameMails } from './CameMails.tsx';
import { ForwardingSteps } from './ForwardingSteps.tsx';

interface SheetProps {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A start with mails to an address of its own: the address, who may send, forwarding, and what has come. */
export function MailDoorSheet({ start, source, onChange }: SheetProps) {
  const [door = ''] = source.path;
  const view = useMailDoor(door);
  const learn = useLearning(source, view.data?.counts.came);
  if (view.error) return <ProblemMessage>{view.error.message}</ProblemMessage>;
  if (!view.data) return <Loading what="the address" />;
  const { name, address, trouble } = view.data;
  return (
    <>
      {trouble && (
        <div className="px-5 pt-4">
          <ProblemMessage>{trouble}</ProblemMessage>
        </div>
      )}
      <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
        <dt className="text-ink-2">Mails about</dt>
        <dd className="flex flex-wrap items-center gap-2">
          <strong className="font-medium">{name}</strong>
          <Button look="quiet" className="ml-auto" onClick={() => onChange({ ...emptyContent('').start })}>
            Take records from an app instead
          </Button>
        </dd>
        <dt className="self-start pt-1 text-ink-2">Its address</dt>
        <dd>
          <div className="flex flex-wrap items-center gap-2">
            <CopyText label="The address" text={address} />
            <OtherAddress door={door} />
          </div>
          <ReachedByMail view={view.data} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">From a mailbox</dt>
        <dd>
          <ForwardingSteps door={door} view={view.data} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">Who may send</dt>
        <dd>
          <WhoMaySend door={door} view={view.data} />
        </dd>
        <dt className="self-start pt-1 text-ink-2">From when</dt>
        <dd>
          <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => onChange({ fromWhen })} />
        </dd>
      </dl>
      <CameMails door={door} view={view.data} onChanged={() => void learn()} />
    </>
  );
}

/** Who reaches the address, and how to let others. */
function ReachedByMail({ view: { isPublic, isProven, port } }: { readonly view: MailDoorView }) {
  if (!isPublic)
    return (
      <p className="mt-1 text-sm text-brass">
        Only this machine reaches it.{' '}
        <Link to="/settings" className="underlined">
          Set a mail domain
        </Link>{' '}
        so that mails from elsewhere come in.
      </p>
    );
  return (
    <p className={`mt-1 text-sm ${isProven ? 'text-pine' : 'text-brass'}`}>
      {isProven
        ? 'A mail has come in by it.'
        : `No mail has come in by it yet. Your mail server has to pass mails for this domain on to port ${port}.`}
    </p>
  );
}

function OtherAddress({ door }: { readonly door: string }) {
  const renew = useAction(
    () => call('POST /api/mail-doors/:id/renew', { params: { id: door } }),
    'The address is a new one.',
  );
  return (
    <NewAddress
      means="Mails to the old address are refused from now on, and listed here. Forwarding has to be set up again."
      onRenew={() => renew.mutate(undefined)}
    />
  );
}

/** Everybody, or these; and whose checks say that a sender is who they seem to be. */
function WhoMaySend({ door, view: { setting } }: { readonly door: string; readonly view: MailDoorView }) {
  const save = useAction((next: MailDoorView['setting']) =>
    call('PUT /api/mail-doors/:id', { params: { id: door }, body: next }),
  );
  const { senders, trusted } = setting;
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        <input
          key={senders.join()}
          aria-label="Who may send"
          placeholder="everybody; or only such as @clay.example"
          defaultValue={senders.join(', ')}
          onBlur={({ target }) => {
            const next = target.value.split(/[,;\s]+/).filter(Boolean);
            if (next.join() !== senders.join()) save.mutate({ ...setting, senders: next });
          }}
          className={`${inputLook} w-[360px]`}
        />
        <span className="text-ink-2">checked by</span>
        <input
          key={trusted}
          aria-label="Server that checks senders"
          placeholder="no mail server"
          data-hint="The name by which your mail server signs its checks of senders, in the line Authentication-Results of a mail."
          defaultValue={trusted}
          onBlur={({ target }) => {
            const next = target.value.trim();
            if (next !== trusted) save.mutate({ ...setting, trusted: next });
          }}
          className={`${inputLook} w-[200px]`}
        />
      </div>
      {senders.length > 0 && trusted === '' && (
        <p className="mt-1 text-sm text-brass">
          Anybody can write one of these names into a mail. Name the mail server that checks senders, so that only
          proven ones get in.
        </p>
      )}
    </>
  );
}
