import { contrastOf, emptyContent, leastContrast, type Place, questionTypes, type Start } from '@golden/core';
import { ExternalLink } from 'lucide-react';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { call } from '../../api/client.ts';
import { type FormView, readAnew, useAction, useForm } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select, TextArea, TextField } from '../../parts/Field.tsx';
import { counted, formatInstant } from '../../parts/formats.ts';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useSessionState } from '../../parts/session-state.ts';
import { CopyText } from '../door/CopyText.tsx';
import { NewAddress } from '../door/NewAddress.tsx';
import { useLearning } from '../door/use-learning.ts';
import { useEditor } from '../draft/context.tsx';
import { withStart } from '../draft/edits.ts';
import { QuestionsEditor } from '../questions/QuestionsEditor.tsx';
import { FromWhenChoice } from '../start/FromWhenChoice.tsx';

interface SheetProps {
  readonly start: Start;
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

type Setting = FormView['setting'];

/** A start with a form: its address, what it asks, and what was filled in. */
export function FormSheet({ start, source, onChange }: SheetProps) {
  const [id = ''] = source.path;
  const view = useForm(id);
  useLearning(source, view.data?.counts.came);
  if (view.error) return <ProblemMessage>{view.error.message}</ProblemMessage>;
  if (!view.data) return <Loading what="the form" />;
  const { url, isPublic } = view.data;
  return (
    <>
      <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
        <dt className="self-start pt-1 text-ink-2">Its address</dt>
        <dd>
          <CopyText label="The address of the form" text={url} />
          <div className="mt-1.5 flex flex-wrap items-center gap-2">
            <a
              href={url}
              target="_blank"
              rel="noreferrer"
              className="underlined mr-2 inline-flex items-center gap-1 font-medium"
            >
              Open the form <ExternalLink size={14} strokeWidth={1.75} aria-hidden="true" />
            </a>
            <OtherAddress id={id} />
            <Button look="quiet" onClick={() => onChange({ ...emptyContent('').start })}>
              Take records from an app instead
            </Button>
          </div>
          {!isPublic && (
            <p className="mt-1 text-sm text-brass">
              Only this machine reaches it.{' '}
              <Link to="/settings" className="underlined">
                Set a public address
              </Link>{' '}
              so that others can fill it in.
            </p>
          )}
        </dd>
        <dt className="self-start pt-1 text-ink-2">From when</dt>
        <dd>
          <FromWhenChoice fromWhen={start.fromWhen} onChange={(fromWhen) => onChange({ fromWhen })} />
        </dd>
      </dl>
      <FormEditor key={id} id={id} view={view.data} source={source} />
      <FilledIn view={view.data} />
    </>
  );
}

function OtherAddress({ id }: { readonly id: string }) {
  const renew = useAction(() => call('POST /api/forms/:id/renew', { params: { id } }), 'The address is a new one.');
  return (
    <NewAddress
      means="Whoever opens the old address is told that the form is closed."
      onRenew={() => renew.mutate(undefined)}
    />
  );
}

interface EditorProps {
  readonly id: string;
  readonly view: FormView;
  readonly source: Place;
}

/** What was changed, and the version that it was made from. */
interface Kept {
  readonly since: number;
  readonly setting: Setting;
}

/** What stands on the form. Nobody sees a change before it is saved; half-typed it survives leaving the page. */
function FormEditor({ id, view, source }: EditorProps) {
  const { draft } = useEditor();
  const [kept, setKept] = useSessionState<Kept | null>(`form-${id}`, null);
  const setting = kept?.setting ?? view.setting;
  const isChanged = kept !== null && JSON.stringify(kept.setting) !== JSON.stringify(view.setting);
  const put = (next: Partial<Setting>): void =>
    setKept({ since: kept?.since ?? view.version, setting: { ...setting, ...next } });
  const save = useAction(async () => {
    await call('PUT /api/forms/:id', { params: { id }, body: { setting, since: kept?.since ?? view.version } });
    setKept(null);
    const { connection, path } = source;
    const { described } = await call('GET /api/connections/:id/place', {
      params: { id: connection },
      query: { path: [...path] },
    });
    draft.change((content) => {
      const now = content.start.source;
      if (!now || now.path.join('\n') !== path.join('\n')) return content;
      return withStart({ source: { ...now, described: described as Place['described'] } })(content);
    });
    for (const name of ['form', 'samples', 'profile', 'lookups', 'counts', 'drift'] as const) readAnew(name);
  }, 'Saved. People see it like this from now on.');
  const contrast = contrastOf(setting.colour, '#ffffff') ?? 0;
  return (
    <section aria-label="The form" className="scroll-mt-4 border-t border-line-1 px-5 py-4">
      <header className="mb-3 flex flex-wrap items-center gap-2">
        <h3 className="mr-auto font-sans font-medium">What stands on the form</h3>
        <span className="text-sm text-ink-2" role="status">
          {isChanged ? `Not saved yet: people see version ${view.version}.` : `Version ${view.version}`}
        </span>
        {isChanged && (
          <Button look="quiet" onClick={() => setKept(null)}>
            Discard the changes
          </Button>
        )}
        <Button look="main" disabled={!isChanged || save.isPending} onClick={() => save.mutate(undefined)}>
          Save the form
        </Button>
      </header>
      <div className="grid items-start gap-x-8 lg:grid-cols-[minmax(0,1fr)_minmax(0,340px)]">
        <div>
          <TextField label="Title" value={setting.title} onChange={({ target }) => put({ title: target.value })} />
          <TextArea
            label="Words before the questions"
            rows={2}
            value={setting.before}
            onChange={({ target }) => put({ before: target.value })}
          />
          <p className="mb-1 font-medium">Questions</p>
          <QuestionsEditor
            questions={setting.questions}
            types={questionTypes}
            hasHelp
            onChange={(questions) => put({ questions })}
          />
        </div>
        <div className="max-lg:mt-4">
          <TextArea
            label="Words after the questions"
            rows={2}
            value={setting.after}
            onChange={({ target }) => put({ after: target.value })}
          />
          <TextField
            label="The button says"
            value={setting.button}
            onChange={({ target }) => put({ button: target.value })}
          />
          <TextArea
            label="Said once it was sent"
            rows={2}
            value={setting.thanks}
            onChange={({ target }) => put({ thanks: target.value })}
          />
          <Setting label="Colour of the button" of="form-colour">
            <input
              id="form-colour"
              type="color"
              value={setting.colour}
              onChange={({ target }) => put({ colour: target.value })}
              className={`${inputLook} w-[60px] p-0.5`}
            />
            {contrast < leastContrast && (
              <span role="alert" className="text-sm text-brick">
                Too light: white words on it could hardly be read.
              </span>
            )}
          </Setting>
          <Setting label="Who can find it" of="form-access">
            <Select
              id="form-access"
              value={setting.access}
              onChange={({ target }) => put({ access: target.value as Setting['access'] })}
              choices={[
                { value: 'link', label: 'who has the link, which can’t be guessed' },
                { value: 'anybody', label: 'anybody: an address made of its title' },
              ]}
              className="w-full"
            />
          </Setting>
        </div>
      </div>
    </section>
  );
}

interface SettingProps {
  readonly label: string;
  readonly of: string;
  readonly children: ReactNode;
}

function Setting({ label, of, children }: SettingProps) {
  return (
    <div className="mb-3">
      <label htmlFor={of} className="mb-1 block font-medium">
        {label}
      </label>
      <div className="flex flex-wrap items-center gap-2">{children}</div>
    </div>
  );
}

/** What was filled in, and what was refused, the newest first. */
function FilledIn({ view: { came, counts, refused, version } }: { readonly view: FormView }) {
  const { zone } = useEditor();
  return (
    <section aria-label="What was filled in" className="border-t border-line-1 px-5 py-3">
      <p className="text-ink-2">
        {counts.came === 0
          ? 'Nobody has filled it in yet. Open it and send a first one: it becomes a sample here.'
          : `${counted(counts.came, 'submission')} came, ${counted(counts.repeats, 'repeat')}, ${counts.refused} refused.`}
      </p>
      {came.length > 0 && (
        <ul className="mt-1 text-sm">
          {came.slice(0, 8).map((one) => (
            <li key={one.seq}>
              {formatInstant(one.at, zone)} · {one.title}
              {one.version !== version && <span className="text-ink-2"> · version {one.version}</span>}
            </li>
          ))}
        </ul>
      )}
      {refused.length > 0 && (
        <ul className="mt-1 text-sm text-ink-2">
          {refused.slice(0, 4).map((one) => (
            <li key={one.seq}>
              {formatInstant(one.at, zone)} · refused: {one.reason}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
