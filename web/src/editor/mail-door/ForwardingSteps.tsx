import { Circle, CircleCheck, ExternalLink, Send } from 'lucide-react';
import { type FormEvent, type ReactNode, useState } from 'react';
import { call } from '../../api/client.ts';
import { type MailDoorView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { formatInstant } from '../../parts/formats.ts';
import { CopyText } from '../door/CopyText.tsx';
import { useEditor } from '../draft/context.tsx';
import { MailDrawer } from './MailDrawer.tsx';

type Forwarding = NonNullable<MailDoorView['forwarding']>;

interface StepsProps {
  readonly door: string;
  readonly view: MailDoorView;
}

/** Leads through letting a mailbox elsewhere send its mails on to this address; a test mail shows that it does. */
export function ForwardingSteps({ door, view }: StepsProps) {
  const { forwarding } = view;
  if (!forwarding) return <BeginForwarding door={door} view={view} />;
  return forwarding.probe?.cameAt ? (
    <Works door={door} forwarding={forwarding} cameAt={forwarding.probe.cameAt} sentAt={forwarding.probe.sentAt} />
  ) : (
    <Steps door={door} view={view} forwarding={forwarding} />
  );
}

function BeginForwarding({ door, view }: StepsProps) {
  const [mailbox, setMailbox] = useState('');
  const begin = useAction((address: string) =>
    call('POST /api/mail-doors/:id/forwarding', { params: { id: door }, body: { mailbox: address } }),
  );
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    begin.mutate(mailbox);
  };
  return (
    <form className="flex flex-wrap items-center gap-2" onSubmit={submit}>
      <span className="text-ink-2">Send on what comes to</span>
      <input
        type="email"
        required
        aria-label="The mailbox whose mails are sent on"
        placeholder="hello@clay.example"
        list="known-mailboxes"
        value={mailbox}
        onChange={(event) => setMailbox(event.target.value)}
        className={`${inputLook} w-[240px]`}
      />
      <datalist id="known-mailboxes">
        {view.senders.map(({ id, address }) => (
          <option key={id} value={address} />
        ))}
      </datalist>
      <Button type="submit" disabled={begin.isPending}>
        Set up forwarding
      </Button>
    </form>
  );
}

interface WorksProps {
  readonly door: string;
  readonly forwarding: Forwarding;
  readonly sentAt: string;
  readonly cameAt: string;
}

function Works({ door, forwarding, sentAt, cameAt }: WorksProps) {
  const { zone } = useEditor();
  const seconds = Math.max(1, Math.round((Date.parse(cameAt) - Date.parse(sentAt)) / 1000));
  return (
    <div className="flex flex-wrap items-center gap-2">
      <p role="status" className="flex items-center gap-1.5 text-pine">
        <CircleCheck size={16} strokeWidth={1.75} aria-hidden="true" />
        Forwarding from {forwarding.mailbox} works.
      </p>
      <span className="text-sm text-ink-2">
        A test mail came on after {seconds === 1 ? 'a second' : `${seconds} seconds`} ({formatInstant(cameAt, zone)}).
      </span>
      <EndForwarding door={door} label="Set it up anew" />
    </div>
  );
}

function EndForwarding({ door, label }: { readonly door: string; readonly label: string }) {
  const end = useAction(() => call('DELETE /api/mail-doors/:id/forwarding', { params: { id: door } }));
  return (
    <Button look="quiet" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
      {label}
    </Button>
  );
}

function Steps({ door, view, forwarding }: StepsProps & { readonly forwarding: Forwarding }) {
  const { mailbox, confirmation, probe } = forwarding;
  return (
    <>
      <ol aria-label="Set up forwarding" className="space-y-3">
        <Step isDone={confirmation !== null}>
          <p>
            In the settings of <strong className="font-medium">{mailbox}</strong>, add this address as one to which its
            mails are forwarded.
          </p>
        </Step>
        <Step isDone={confirmation !== null}>
          {confirmation ? (
            <Confirmation door={door} confirmation={confirmation} />
          ) : (
            <p>
              Most hosts first ask whether this address wants them. <span role="status">Their mail appears here.</span>
            </p>
          )}
        </Step>
        <Step isDone={false}>
          <p>
            Switch forwarding on in the mailbox.{' '}
            <span className="text-ink-2">To confirm the address isn’t enough.</span>
          </p>
        </Step>
        <Step isDone={false}>
          <Probe door={door} view={view} probe={probe} mailbox={mailbox} />
        </Step>
      </ol>
      <div className="mt-2">
        <EndForwarding door={door} label="Don’t set up forwarding" />
      </div>
    </>
  );
}

function Step({ isDone, children }: { readonly isDone: boolean; readonly children: ReactNode }) {
  const Icon = isDone ? CircleCheck : Circle;
  return (
    <li className="flex items-start gap-2">
      <Icon
        size={16}
        strokeWidth={1.75}
        aria-hidden="true"
        className={`mt-1 shrink-0 ${isDone ? 'text-pine' : 'text-ink-3'}`}
      />
      <span className="sr-only">{isDone ? 'Done:' : 'To do:'}</span>
      <div className="min-w-0 flex-1">{children}</div>
    </li>
  );
}

interface ConfirmationProps {
  readonly door: string;
  readonly confirmation: NonNullable<Forwarding['confirmation']>;
}

/** What the host's question offers: pages to open, codes to type in there. */
function Confirmation({ door, confirmation: { seq, links, codes } }: ConfirmationProps) {
  const [isShown, setShown] = useState(false);
  return (
    <div className="space-y-1">
      <p className="flex flex-wrap items-center gap-2">
        {links.length > 0 ? 'The host asks. Open its page and confirm there.' : 'The host asks.'}
        {codes.length > 0 && ' Type its code in there.'}
        <Button look="quiet" onClick={() => setShown(true)}>
          Show its mail
        </Button>
      </p>
      {links.map((link) => (
        <a
          key={link}
          href={link}
          target="_blank"
          rel="noreferrer noopener"
          className="underlined flex items-center gap-1 font-mono text-sm break-all [font-variant-ligatures:none]"
        >
          <ExternalLink size={14} strokeWidth={1.75} aria-hidden="true" className="shrink-0" />
          {link}
        </a>
      ))}
      {codes.map((code) => (
        <CopyText key={code} label="The code" text={code} />
      ))}
      <MailDrawer door={door} seq={isShown ? seq : undefined} onClose={() => setShown(false)} />
    </div>
  );
}

interface ProbeProps extends StepsProps {
  readonly probe: Forwarding['probe'];
  readonly mailbox: string;
}

function Probe({ door, view: { senders }, probe, mailbox }: ProbeProps) {
  const [chosen, setChosen] = useState(senders[0]?.id ?? '');
  const send = useAction((connection: string | null) =>
    call('POST /api/mail-doors/:id/forwarding/probe', { params: { id: door }, body: { connection } }),
  );
  return (
    <div className="space-y-1">
      <div className="flex flex-wrap items-center gap-2">
        <span>Send a test mail to {mailbox}, to see whether it comes on from there</span>
        {senders.length > 0 && (
          <Select
            aria-label="Through which connection the test mail is sent"
            value={chosen}
            onChange={(event) => setChosen(event.target.value)}
            choices={[
              ...senders.map(({ id, name }) => ({ value: id, label: `through ${name}` })),
              { value: '', label: 'I send it myself' },
            ]}
          />
        )}
        <Button
          icon={<Send size={14} strokeWidth={1.75} />}
          disabled={send.isPending}
          onClick={() => send.mutate(chosen === '' ? null : chosen)}
        >
          {chosen === '' ? 'Get its subject' : probe ? 'Send another' : 'Send it'}
        </Button>
      </div>
      {probe && (
        <p role="status" className="text-sm text-brass">
          {probe.by === null
            ? `Send a mail to ${mailbox} with exactly this subject:`
            : `Sent through ${probe.by}. It hasn’t come on yet: is forwarding switched on?`}
        </p>
      )}
      {probe?.by === null && <CopyText label="The subject" text={probe.subject} />}
    </div>
  );
}
