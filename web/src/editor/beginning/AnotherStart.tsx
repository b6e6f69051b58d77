import type { Field, Question, WorkflowContent } from '@golden/core';
import type { Api } from '@golden/server/api';
import {
  CalendarClock,
  ClipboardList,
  FileDown,
  Forward,
  ListChecks,
  Mail,
  MousePointerClick,
  Webhook,
} from 'lucide-react';
import { type ReactNode, useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../../api/client.ts';
import { useAction, useWorkflows } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { SelectField, TextField } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { QuestionsEditor } from '../questions/QuestionsEditor.tsx';
import { NeededFields, named } from './NeededFields.tsx';

type Way = Api['POST /api/starts']['body'];

const kinds: readonly {
  readonly kind: Way['kind'];
  readonly icon: ReactNode;
  readonly title: string;
  readonly means: string;
}[] = [
  {
    kind: 'posted',
    icon: <Webhook size={16} strokeWidth={1.75} />,
    title: 'Another app posts an event',
    means: 'It tells at once when something happens there (a webhook). You get an address to paste there.',
  },
  {
    kind: 'form',
    icon: <ClipboardList size={16} strokeWidth={1.75} />,
    title: 'Somebody fills in a form',
    means: 'A page of yours with questions, on a phone too. You send its link, or put it where people find it.',
  },
  {
    kind: 'mail',
    icon: <Mail size={16} strokeWidth={1.75} />,
    title: 'A mail comes to an address of its own',
    means:
      'You get an e-mail address for this workflow. For mails that come to a mailbox you have, connect that mailbox instead and choose a folder: that is simpler.',
  },
  {
    kind: 'file',
    icon: <FileDown size={16} strokeWidth={1.75} />,
    title: 'A file is dropped, or appears in a folder',
    means: 'A table, a list, invoices, contacts or calendar entries. Each of its records comes by itself.',
  },
  {
    kind: 'hand',
    icon: <MousePointerClick size={16} strokeWidth={1.75} />,
    title: 'Somebody presses a button',
    means: 'On Today and on the workflow. You say what they are asked for.',
  },
  {
    kind: 'time',
    icon: <CalendarClock size={16} strokeWidth={1.75} />,
    title: 'It is a certain time',
    means: 'Each time is one record, with its date. To take records from an app at set times, choose that app instead.',
  },
  {
    kind: 'handed',
    icon: <Forward size={16} strokeWidth={1.75} />,
    title: 'Another workflow hands something over',
    means: 'Each row, line or record of it, with the fields that you say here. It can be tried alone.',
  },
  {
    kind: 'after',
    icon: <ListChecks size={16} strokeWidth={1.75} />,
    title: 'Another workflow has done its part',
    means: 'After each record that it delivers, or after its run.',
  },
];

const askedByHand = ['text', 'decimal', 'date', 'boolean', 'choice'] as const;

/** What somebody who begins by hand is asked for: questions without a name are none. */
const asksByHand = (questions: readonly Question[]): Extract<Way, { kind: 'hand' }>['asks'] =>
  questions.flatMap(({ label, type, options, isRequired }) => {
    const known = askedByHand.find((one) => one === type);
    return known === undefined || label.trim() === ''
      ? []
      : [{ label, type: known, isRequired, ...(options && { options }) }];
  });

const forWhat = 'What is it for?';
const examples: Readonly<Record<Exclude<Way['kind'], 'after'>, string>> = {
  posted: 'Orders from the shop',
  form: 'Ask for a kiln visit',
  mail: 'Enquiries',
  file: 'Sales of the market stall',
  hand: 'A kiln visit',
  time: 'The monthly reminder',
  handed: 'Accounts for new people',
};

interface DrawerProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onWay: (way: Way) => void;
  readonly isBusy: boolean;
  /** A workflow can't begin after itself. */
  readonly except?: string;
}

/** The ways to begin that ask no app. */
function AnotherStartDrawer({ isOpen, onClose, onWay, isBusy, except }: DrawerProps) {
  const [kind, setKind] = useState<Way['kind']>('posted');
  const [name, setName] = useState('');
  const [fields, setFields] = useState<readonly Field[]>([{ path: '', label: '', type: 'text' }]);
  const [asks, setAsks] = useState<readonly Question[]>([]);
  const [workflow, setWorkflow] = useState('');
  const [moment, setMoment] = useState<'record' | 'whole_run' | 'run'>('record');
  const others = (useWorkflows().data ?? []).filter(({ id }) => id !== except);
  const way: Way | undefined =
    kind === 'after'
      ? workflow === ''
        ? undefined
        : { kind, workflow, moment }
      : name.trim() === ''
        ? undefined
        : kind === 'hand'
          ? { kind, name: name.trim(), asks: asksByHand(asks) }
          : kind === 'handed'
            ? { kind, name: name.trim(), fields: named(fields) }
            : { kind, name: name.trim() };
  return (
    <Drawer
      title="What starts it?"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button look="main" disabled={isBusy || !way} onClick={() => way && onWay(way)}>
          {isBusy ? 'Making it…' : 'Go on'}
        </Button>
      }
    >
      <fieldset className="mb-4 space-y-2">
        <legend className="sr-only">What starts it</legend>
        {kinds.map((one) => (
          <label
            key={one.kind}
            className={`flex cursor-pointer items-start gap-2.5 rounded-lg border px-3 py-2 ${kind === one.kind ? 'border-pine bg-pine-faint' : 'border-line-1'}`}
          >
            <input
              type="radio"
              name="way"
              className="mt-1 accent-pine"
              checked={kind === one.kind}
              onChange={() => setKind(one.kind)}
            />
            <span>
              <span className="flex items-center gap-1.5 font-medium">
                <span className="text-pine" aria-hidden="true">
                  {one.icon}
                </span>
                {one.title}
              </span>
              <span className="block text-sm text-ink-2">{one.means}</span>
            </span>
          </label>
        ))}
      </fieldset>
      {kind === 'after' ? (
        <>
          <SelectField
            label="Which workflow"
            value={workflow}
            onChange={(event) => setWorkflow(event.target.value)}
            choices={[{ value: '', label: 'Choose one' }, ...others.map((one) => ({ value: one.id, label: one.name }))]}
          />
          <SelectField
            label="When"
            value={moment}
            onChange={(event) => setMoment(event.target.value as typeof moment)}
            choices={[
              { value: 'record', label: 'after each record that it delivers' },
              { value: 'whole_run', label: 'after a run, when all of it was delivered' },
              { value: 'run', label: 'after a run, in any case' },
            ]}
          />
        </>
      ) : (
        <TextField
          label={
            {
              posted: 'What is posted?',
              mail: 'What are the mails about?',
              form: 'What is it called?',
              file: 'What do the files hold?',
              hand: forWhat,
              time: forWhat,
              handed: 'What does it do with them?',
            }[kind]
          }
          placeholder={examples[kind]}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      )}
      {kind === 'hand' && (
        <>
          <h3 className="mb-1 font-medium">What they are asked for</h3>
          <QuestionsEditor questions={asks} types={askedByHand} onChange={setAsks} />
        </>
      )}
      {kind === 'handed' && (
        <>
          <h3 className="mb-1 font-medium">Which fields it needs</h3>
          <NeededFields fields={fields} onChange={setFields} />
        </>
      )}
    </Drawer>
  );
}

/** Lets the workflow that is edited begin in another way. */
export function AnotherStartButton({ className = '' }: { readonly className?: string }) {
  const { draft, workflow } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const make = useAction(async (body: Way) => {
    await draft.flush();
    const { content } = await call('POST /api/workflows/:id/start', { params: { id: workflow.id }, body });
    draft.change(() => content as unknown as WorkflowContent);
    setOpen(false);
  });
  return (
    <>
      <Button look="quiet" className={className} onClick={() => setOpen(true)}>
        Start in another way
      </Button>
      <AnotherStartDrawer
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        onWay={(way) => make.mutate(way)}
        isBusy={make.isPending}
        except={workflow.id}
      />
    </>
  );
}

/** Makes a new workflow that begins without asking an app. */
export function NewAnotherStartButton() {
  const navigate = useNavigate();
  const [isOpen, setOpen] = useState(false);
  const make = useAction(async (body: Way) => {
    const made = await call('POST /api/starts', { body });
    await navigate(`/workflows/${made.id}`);
  });
  return (
    <>
      <Button look="quiet" icon={<Webhook size={15} strokeWidth={1.75} />} onClick={() => setOpen(true)}>
        Start in another way
      </Button>
      <AnotherStartDrawer
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        onWay={(way) => make.mutate(way)}
        isBusy={make.isPending}
      />
    </>
  );
}
