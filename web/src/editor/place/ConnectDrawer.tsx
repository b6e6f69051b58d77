import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { call } from '../../api/client.ts';
import { type App, type Connection, useApps } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { TextField } from '../../parts/Field.tsx';
import { HealthNote } from '../../parts/HealthNote.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { OutsideLink } from '../../parts/OutsideLink.tsx';
import { FolderList } from './FolderList.tsx';
import { useSignIn } from './use-sign-in.ts';

interface ConnectProps {
  /** The app to connect; chosen from the list when absent. */
  readonly app?: App | undefined;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  /** Called with a connection that works. */
  readonly onConnected: (connection: Connection) => void;
}

/** Connects an app in the middle of what one is doing, and comes back to it. */
export function ConnectDrawer({ app: given, isOpen, onClose, onConnected }: ConnectProps) {
  const apps = useApps().data ?? [];
  const [chosen, setApp] = useState<App>();
  const app = chosen ?? given;
  const Form = app?.signsIn ? SignInForm : ConnectForm;
  const close = (): void => {
    setApp(undefined);
    onClose();
  };
  return (
    <Drawer title={app ? `Connect ${app.title}` : 'Connect an app'} isOpen={isOpen} onClose={close}>
      {app ? (
        <Form
          key={app.id}
          app={app}
          {...(!given && { onBack: () => setApp(undefined) })}
          onConnected={(connection) => {
            close();
            onConnected(connection);
          }}
        />
      ) : (
        <ul className="divide-y divide-line-2 rounded-md border border-line-1">
          {apps.map((one) => (
            <li key={one.id}>
              <button
                type="button"
                onClick={() => setApp(one)}
                className="flex w-full items-baseline justify-between px-3 py-2.5 text-left hover:bg-pine-faint"
              >
                <span className="font-medium">{one.title}</span>
                <span className="text-sm text-ink-2">{one.holds}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </Drawer>
  );
}

interface FormProps {
  readonly app: App;
  readonly onBack?: () => void;
  readonly onConnected: (connection: Connection) => void;
}

function ConnectForm({ app, onBack, onConnected }: FormProps) {
  const client = useQueryClient();
  const [made, setMade] = useState<Connection>();
  const [problem, setProblem] = useState('');
  const defaults = Object.fromEntries(app.settings.map((setting) => [setting.name, setting.value ?? '']));
  const { register, handleSubmit, formState, setValue } = useForm<Record<string, string>>({
    defaultValues: { name: app.title, ...defaults },
  });
  const submit = handleSubmit(async (given) => {
    setProblem('');
    const { name = '', key, ...settings } = given;
    try {
      const connection = made
        ? await call('PUT /api/connections/:id', { params: { id: made.id }, body: { name, settings, key } })
        : await call('POST /api/connections', { body: { app: app.id, name, settings, key } });
      setMade(connection);
      await client.invalidateQueries({ queryKey: ['connections'] });
      if (connection.status === 'working') onConnected(connection);
    } catch (error) {
      setProblem((error as Error).message);
    }
  });
  return (
    <form onSubmit={submit} noValidate>
      <TextField
        label="Name here"
        {...register('name', { required: 'Give it a name.' })}
        error={formState.errors['name']?.message}
      />
      {app.settings.map((setting) => (
        <TextField
          key={setting.name}
          label={setting.isOptional ? `${setting.label} (may stay empty)` : setting.label}
          hint={setting.hint}
          type={setting.isSecret ? 'password' : 'text'}
          autoComplete="off"
          spellCheck={false}
          {...register(setting.name, { required: setting.isOptional ? false : 'This is needed.' })}
          error={formState.errors[setting.name]?.message}
        />
      ))}
      {app.id === 'folder' && <FolderList onChoose={(path) => setValue('folder', path, { shouldValidate: true })} />}
      {app.screens && (
        <p className="mb-3 text-sm">
          <OutsideLink href={`${app.screens}practice`} className="underlined">
            Open {app.title}’s page with its keys
          </OutsideLink>
        </p>
      )}
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {made && made.status !== 'working' && <HealthNote connection={made} />}
      <div className="mt-4 flex gap-2">
        <Button look="main" type="submit" disabled={formState.isSubmitting}>
          {formState.isSubmitting ? 'Asking the app…' : 'Connect'}
        </Button>
        {onBack && <Button onClick={onBack}>Another app</Button>}
      </div>
    </form>
  );
}

/** Connects an app by signing in there: on a page of the app's own, with the least right that serves. */
function SignInForm({ app, onBack, onConnected }: FormProps) {
  const [mayWrite, setMayWrite] = useState(true);
  const [problem, setProblem] = useState('');
  const defaults = Object.fromEntries(app.settings.map((setting) => [setting.name, setting.value ?? '']));
  const { register, handleSubmit, formState } = useForm<Record<string, string>>({
    defaultValues: { name: app.title, ...defaults },
  });
  const { begin, isWaiting, url } = useSignIn(onConnected, setProblem);
  const submit = handleSubmit(async ({ name = '', ...settings }) => {
    setProblem('');
    await begin({ app: app.id, name, settings, mayWrite });
  });
  return (
    <form onSubmit={submit} noValidate>
      <TextField
        label="Name here"
        {...register('name', { required: 'Give it a name.' })}
        error={formState.errors['name']?.message}
      />
      {app.settings.map((setting) => (
        <TextField
          key={setting.name}
          label={setting.isOptional ? `${setting.label} (may stay empty)` : setting.label}
          hint={setting.hint}
          spellCheck={false}
          {...register(setting.name, { required: 'This is needed.' })}
          error={formState.errors[setting.name]?.message}
        />
      ))}
      <fieldset className="mb-3">
        <legend className="mb-1 font-medium">What it may do there</legend>
        <Right isOn={!mayWrite} onChoose={() => setMayWrite(false)} text="read only, when records only come from it" />
        <Right isOn={mayWrite} onChoose={() => setMayWrite(true)} text="read and write" />
      </fieldset>
      {problem && <ProblemMessage>{problem}</ProblemMessage>}
      {isWaiting && (
        <p role="status" className="mb-3 text-ink-2">
          Waiting for your answer on {app.title}’s own page.{' '}
          <OutsideLink href={url} className="underlined">
            Open it again
          </OutsideLink>
        </p>
      )}
      <div className="mt-4 flex gap-2">
        <Button look="main" type="submit" disabled={formState.isSubmitting}>
          Sign in at {app.title}
        </Button>
        {onBack && <Button onClick={onBack}>Another app</Button>}
      </div>
    </form>
  );
}

interface RightProps {
  readonly isOn: boolean;
  readonly text: string;
  readonly onChoose: () => void;
}

function Right({ isOn, text, onChoose }: RightProps) {
  return (
    <label className="flex items-center gap-2 py-0.5">
      <input type="radio" name="right" checked={isOn} onChange={onChoose} className="accent-pine" />
      {text}
    </label>
  );
}
