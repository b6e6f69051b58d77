import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { toast } from 'sonner';
import { ApiProblem, call } from '../api/client.ts';
import { type Connection, useAction, useApps, type useConnection } from '../api/queries.ts';
import { useSignIn } from '../editor/place/use-sign-in.ts';
import { AccountChoice, type AccountQuestion, type AccountSaid, isAllSaid } from './AccountChoice.tsx';
import { Button } from './Button.tsx';
import { TextField } from './Field.tsx';

type Whole = NonNullable<ReturnType<typeof useConnection>['data']>;

interface ChangeProps {
  readonly connection: Whole;
  /** True where the right to write is what is missing: a sign-in asks for it. */
  readonly wantsWrite?: boolean;
}

/** Name, address and key; where they lead elsewhere than before, whether that is the same account. */
export function ChangeForm({ connection, wantsWrite = false }: ChangeProps) {
  const app = useApps().data?.find((one) => one.id === connection.app);
  const way = connection.settings['signs_in'] === 'there' ? 'sign_in' : 'key';
  // A program's own secret is given with the sign-in, and kept with what that gives.
  const asked = app?.settings.filter(
    ({ only, isSecret }) => (only ?? way) === way && !(only === 'sign_in' && isSecret),
  );
  const { register, handleSubmit, getValues, setError, setFocus, formState } = useForm<Record<string, string>>({
    defaultValues: { ...connection.settings, name: connection.name, key: '' },
  });
  const [question, setQuestion] = useState<AccountQuestion>();
  const [said, setSaid] = useState<AccountSaid>({});
  const reads = connection.usedBy.filter((one) => one.isRead).map((one) => one.name);
  const writes = connection.usedBy.filter((one) => one.isWritten).map((one) => one.name);
  const save = useAction(async (given: Record<string, string>) => {
    const { name = '', key, ...settings } = given;
    try {
      await call('PUT /api/connections/:id', {
        params: { id: connection.id },
        body: { name, settings, ...(key && { key }), ...(question && said) },
      });
      setQuestion(undefined);
      setSaid({});
      toast('Saved and checked.');
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      if (error.kind === 'account-asked') setQuestion(error.more['question'] as AccountQuestion);
      else if (error.kind === 'key-needed' && asked?.some((setting) => setting.isSecret)) {
        setError('key', { message: error.message });
        setFocus('key');
      } else throw error;
    }
  });
  if (connection.asked) return <AskedForm connection={connection} question={connection.asked} />;
  const isOpen = question !== undefined && !isAllSaid(said, reads);
  return (
    <form onSubmit={handleSubmit((given) => save.mutate(given))}>
      <TextField label="Name here" {...register('name', { required: true })} />
      {asked?.map((setting) => (
        <TextField
          key={setting.name}
          label={setting.isSecret ? `New ${setting.label.toLowerCase()}` : setting.label}
          hint={setting.isSecret ? 'Leave empty to keep the stored one.' : setting.hint}
          error={formState.errors[setting.name]?.message}
          type={setting.isSecret ? 'password' : 'text'}
          autoComplete="off"
          {...register(setting.name, { onChange: () => setQuestion(undefined) })}
        />
      ))}
      {!connection.tellsAccount && (
        <p className="mb-3 text-sm text-ink-2">
          This app doesn’t say who is signed in. It is identified by its address and access key; if you change the key,
          you are asked whether it is the same account.
        </p>
      )}
      {question && <AccountChoice question={question} reads={reads} writes={writes} said={said} onSay={setSaid} />}
      <div className="flex gap-2">
        <Button type="submit" look={question ? 'main' : 'plain'} disabled={save.isPending || isOpen}>
          {save.isPending ? 'Asking the app…' : 'Save and check'}
        </Button>
        {app?.signsIn && (!app.takesKey || way === 'sign_in') && (
          <SignInAgain connection={connection} given={getValues} wantsWrite={wantsWrite} />
        )}
      </div>
    </form>
  );
}

interface AskedProps {
  readonly connection: Whole;
  readonly question: AccountQuestion;
}

/** The app names somebody else by itself: nothing goes on there until it is said who that is. */
function AskedForm({ connection, question }: AskedProps) {
  const [said, setSaid] = useState<AccountSaid>({});
  const reads = connection.usedBy.filter((one) => one.isRead).map((one) => one.name);
  const writes = connection.usedBy.filter((one) => one.isWritten).map((one) => one.name);
  const answer = useAction(async () => {
    const { account, already } = said;
    if (account)
      await call('POST /api/connections/:id/account', {
        params: { id: connection.id },
        body: { account, ...(already && { already }) },
      });
  });
  return (
    <>
      <AccountChoice question={question} reads={reads} writes={writes} said={said} onSay={setSaid} />
      <Button
        look="main"
        disabled={answer.isPending || !isAllSaid(said, reads)}
        onClick={() => answer.mutate(undefined)}
      >
        So it is
      </Button>
    </>
  );
}

interface SignInAgainProps {
  readonly connection: Connection;
  /** The name and address as they stand in the form now. */
  readonly given: () => Record<string, string>;
  readonly wantsWrite: boolean;
}

/** Signs in at the app anew, for a sign-in that has ended, was withdrawn, or was for another address. */
function SignInAgain({ connection, given, wantsWrite }: SignInAgainProps) {
  const [problem, setProblem] = useState('');
  const { begin, isWaiting } = useSignIn(() => setProblem(''), setProblem);
  const mayWrite = wantsWrite || (connection.health?.mayWrite ?? true);
  const wish = () => {
    const { name = connection.name, key: _none, ...settings } = given();
    return { app: connection.app, name, settings, id: connection.id };
  };
  return (
    <>
      <Button onClick={() => void begin({ ...wish(), mayWrite })}>
        {isWaiting ? 'Waiting for you to sign in…' : 'Sign in again'}
      </Button>
      {problem && <span className="text-sm text-brick">{problem}</span>}
    </>
  );
}
