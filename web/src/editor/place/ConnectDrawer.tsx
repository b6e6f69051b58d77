import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type UseFormReturn, useForm } from 'react-hook-form';
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
  /** Where records are taken from: apps that nothing is read from aren't offered. */
  readonly isFrom?: boolean;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  /** Called with a connection that works. */
  readonly onConnected: (connection: Connection) => void;
}

/** Connects an app in the middle of what one is doing, and comes back to it. */
export function ConnectDrawer({ app: given, isFrom = false, isOpen, onClose, onConnected }: ConnectProps) {
  const all = useApps().data ?? [];
  const apps = isFrom ? all.filter(({ takesTemplates }) => !takesTemplates) : all;
  const [chosen, setApp] = useState<App>();
  const app = chosen ?? given;
  const [way, setWay] = useState<SignInWay>('key');
  const [typed, setTyped] = useState<Record<string, string>>({});
  const isThere = app?.signsIn === true && (!app.takesKey || way === 'sign_in');
  const Form = isThere ? SignInForm : ConnectForm;
  /** What was typed for one app isn't meant for another. */
  const back = (): void => {
    setApp(undefined);
    setWay('key');
    setTyped({});
  };
  const close = (): void => {
    back();
    onClose();
  };
  return (
    <Drawer title={app ? `Connect ${app.title}` : 'Connect an app'} isOpen={isOpen} onClose={close}>
      {app ? (
        <Form
          key={`${app.id} ${isThere}`}
          app={app}
          typed={typed}
          onWay={(next, values) => {
            setTyped(values);
            setWay(next);
          }}
          {...(!given && { onBack: back })}
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

/** Whether one signs in by a key or a password that is kept here, or at the app itself. */
type SignInWay = 'key' | 'sign_in';

interface FormProps {
  readonly app: App;
  /** What was typed before the way to sign in was changed. */
  readonly typed: Record<string, string>;
  readonly onWay: (way: SignInWay, typed: Record<string, string>) => void;
  readonly onBack?: () => void;
  readonly onConnected: (connection: Connection) => void;
}

/** What is asked for with one way of signing in. */
const askedFor = (app: App, way: SignInWay): App['settings'] =>
  app.settings.filter(({ only }) => only === undefined || only === way);

const defaultsOf = (app: App, typed: Record<string, string>): Record<string, string> => ({
  name: app.title,
  ...Object.fromEntries(app.settings.map((setting) => [setting.name, setting.value ?? ''])),
  ...typed,
});

interface WayProps {
  readonly way: SignInWay;
  readonly onChoose: (way: SignInWay) => void;
}

/** With a password, or at the host's own page: many hosts of mail take no passwords of programs any more. */
function WayChoice({ way, onChoose }: WayProps) {
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 font-medium">How it signs in</legend>
      <Right
        name="way"
        isOn={way === 'key'}
        onChoose={() => onChoose('key')}
        text="with a password that is kept here"
      />
      <Right
        name="way"
        isOn={way === 'sign_in'}
        onChoose={() => onChoose('sign_in')}
        text="on the host’s own page (OAuth 2.0)"
      />
    </fieldset>
  );
}

interface AskedProps extends Pick<FormProps, 'app' | 'onWay'> {
  readonly way: SignInWay;
  readonly form: UseFormReturn<Record<string, string>>;
}

/** The name, how one signs in where there is a choice, and what is asked for with that. */
function WhatIsAsked({ app, way, form, onWay }: AskedProps) {
  const { register, getValues } = form;
  const { errors } = form.formState;
  return (
    <>
      <TextField
        label="Name here"
        {...register('name', { required: 'Give it a name.' })}
        error={errors['name']?.message}
      />
      {app.signsIn && app.takesKey && <WayChoice way={way} onChoose={(next) => onWay(next, getValues())} />}
      {askedFor(app, way).map((setting) => (
        <TextField
          key={setting.name}
          label={setting.isOptional ? `${setting.label} (may stay empty)` : setting.label}
          hint={setting.hint}
          type={setting.isSecret ? 'password' : 'text'}
          autoComplete="off"
          spellCheck={false}
          {...register(setting.name, { required: setting.isOptional ? false : 'This is needed.' })}
          error={errors[setting.name]?.message}
        />
      ))}
    </>
  );
}

function ConnectForm({ app, typed, onWay, onBack, onConnected }: FormProps) {
  const client = useQueryClient();
  const [made, setMade] = useState<Connection>();
  const [problem, setProblem] = useState('');
  const asked = askedFor(app, 'key');
  const form = useForm<Record<string, string>>({ defaultValues: defaultsOf(app, typed) });
  const { handleSubmit, formState, setValue } = form;
  const submit = handleSubmit(async (given) => {
    setProblem('');
    const { name = '', key } = given;
    const settings = valuesOf(asked, given);
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
      <WhatIsAsked app={app} way="key" form={form} onWay={onWay} />
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
function SignInForm({ app, typed, onWay, onBack, onConnected }: FormProps) {
  const [mayWrite, setMayWrite] = useState(true);
  const [problem, setProblem] = useState('');
  const asked = askedFor(app, 'sign_in');
  const form = useForm<Record<string, string>>({ defaultValues: defaultsOf(app, typed) });
  const { handleSubmit, formState } = form;
  const { begin, isWaiting, url } = useSignIn(onConnected, setProblem);
  const submit = handleSubmit(async (given) => {
    setProblem('');
    await begin({ app: app.id, name: given['name'] ?? '', settings: valuesOf(asked, given), mayWrite });
  });
  return (
    <form onSubmit={submit} noValidate>
      <WhatIsAsked app={app} way="sign_in" form={form} onWay={onWay} />
      {asked.some(({ name }) => name === 'client') && (
        <p className="mb-3 text-sm text-ink-2">
          Where the host asks for a redirect address, give it this one:{' '}
          <code className="break-all select-all">{`${location.origin}/api/sign-in/back`}</code>
        </p>
      )}
      {!app.isOneRight && (
        <fieldset className="mb-3">
          <legend className="mb-1 font-medium">What it may do there</legend>
          <Right
            name="right"
            isOn={!mayWrite}
            onChoose={() => setMayWrite(false)}
            text="read only, when records only come from it"
          />
          <Right name="right" isOn={mayWrite} onChoose={() => setMayWrite(true)} text="read and write" />
        </fieldset>
      )}
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
          {app.takesKey ? 'Go to the sign-in page' : `Sign in at ${app.title}`}
        </Button>
        {onBack && <Button onClick={onBack}>Another app</Button>}
      </div>
    </form>
  );
}

/** The values of these settings, without the key. */
const valuesOf = (asked: App['settings'], given: Record<string, string>): Record<string, string> =>
  Object.fromEntries(asked.filter(({ name }) => name !== 'key').map(({ name }) => [name, given[name] ?? '']));

interface RightProps {
  readonly name: string;
  readonly isOn: boolean;
  readonly text: string;
  readonly onChoose: () => void;
}

function Right({ name, isOn, text, onChoose }: RightProps) {
  return (
    <label className="flex items-center gap-2 py-0.5">
      <input type="radio" name={name} checked={isOn} onChange={onChoose} className="accent-pine" />
      {text}
    </label>
  );
}
