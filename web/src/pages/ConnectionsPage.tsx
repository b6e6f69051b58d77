import { Plus, RefreshCw } from 'lucide-react';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { Link } from 'react-router';
import { toast } from 'sonner';
import { ApiProblem, call } from '../api/client.ts';
import { type Connection, useAction, useApps, useConnection, useConnections, useSettings } from '../api/queries.ts';
import { ConnectDrawer } from '../editor/place/ConnectDrawer.tsx';
import { useSignIn } from '../editor/place/use-sign-in.ts';
import { AccountChoice, type AccountQuestion, type AccountSaid, isAllSaid } from '../parts/AccountChoice.tsx';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { TextField } from '../parts/Field.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { HealthNote } from '../parts/HealthNote.tsx';
import { EmptyState, Loading } from '../parts/Messages.tsx';

/** Is it connected, as whom, what may it, since when. */
export function ConnectionsPage() {
  const connections = useConnections();
  const zone = useSettings().data?.zone ?? 'utc';
  const [isConnecting, setConnecting] = useState(false);
  const [openId, setOpenId] = useState('');
  const connect = (
    <Button look="main" icon={<Plus size={15} />} onClick={() => setConnecting(true)}>
      Connect an app
    </Button>
  );
  return (
    <div className="px-6 py-4">
      <div className="mb-4 flex items-end justify-between">
        <h1 className="text-2xl">Connections</h1>
        {connect}
      </div>
      {connections.isPending && <Loading what="the connections" />}
      {connections.data?.length === 0 && (
        <EmptyState title="No app is connected yet." action={connect}>
          A connection is one signed-in account of an app. Give it only the rights it needs: to copy from an app,
          reading is enough.
        </EmptyState>
      )}
      {connections.data && connections.data.length > 0 && (
        <table className="sheet overflow-hidden rounded-lg border border-line-1">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">App</th>
              <th scope="col">State</th>
              <th scope="col">Checked</th>
              <th scope="col">
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {connections.data.map((one) => (
              <tr key={one.id}>
                <td>
                  <button type="button" className="underlined font-medium" onClick={() => setOpenId(one.id)}>
                    {one.name}
                  </button>
                </td>
                <td className="text-ink-2">{one.appTitle}</td>
                <td className="py-2!">
                  <HealthNote connection={one} />
                </td>
                <td className="whitespace-nowrap text-ink-2">
                  {one.checkedAt ? formatInstant(one.checkedAt, zone) : 'never'}
                </td>
                <td className="text-right">
                  <CheckButton id={one.id} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ConnectDrawer isOpen={isConnecting} onClose={() => setConnecting(false)} onConnected={() => undefined} />
      <ConnectionDrawer id={openId} onClose={() => setOpenId('')} />
    </div>
  );
}

function CheckButton({ id }: { readonly id: string }) {
  const check = useAction(() => call('POST /api/connections/:id/check', { params: { id } }));
  return (
    <Button icon={<RefreshCw size={14} />} disabled={check.isPending} onClick={() => check.mutate(undefined)}>
      {check.isPending ? 'Asking…' : 'Check now'}
    </Button>
  );
}

function ConnectionDrawer({ id, onClose }: { readonly id: string; readonly onClose: () => void }) {
  const connection = useConnection(id).data;
  const remove = useAction(async () => {
    await call('DELETE /api/connections/:id', { params: { id } });
    onClose();
  }, 'Removed.');
  return (
    <Drawer
      title={connection?.name ?? 'Connection'}
      isOpen={id !== ''}
      onClose={onClose}
      foot={
        <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate(undefined)}>
          Remove
        </Button>
      }
    >
      {connection ? (
        <>
          <HealthNote connection={connection} />
          {connection.waiting > 0 && (
            <p className="mt-2 text-brass">
              {counted(connection.waiting, 'record')} wait for it. Checking it retries them.
            </p>
          )}
          <Rights connection={connection} />
          <h3 className="mt-4 mb-1 font-sans font-semibold">Used by</h3>
          {connection.usedBy.length === 0 && <p className="text-ink-2">No workflow.</p>}
          <ul className="mb-4">
            {connection.usedBy.map((one) => (
              <li key={one.id}>
                <Link to={`/workflows/${one.id}`} className="underlined">
                  {one.name}
                </Link>
                <span className="ml-2 text-sm text-ink-2">
                  {[one.isRead && 'reads from it', one.isWritten && 'writes to it'].filter(Boolean).join(', ')}
                </span>
              </li>
            ))}
          </ul>
          <ChangeForm key={connection.id} connection={connection} />
        </>
      ) : (
        <Loading what="the connection" />
      )}
    </Drawer>
  );
}

type Whole = NonNullable<ReturnType<typeof useConnection>['data']>;

/** What it may where, and whether less would do. */
function Rights({ connection }: { readonly connection: Whole }) {
  const { health, usedBy } = connection;
  if (!health) return null;
  const isOnlyRead = usedBy.length > 0 && usedBy.every((one) => !one.isWritten);
  const isTooMuch = health.mayWrite && isOnlyRead;
  const lacks = !health.mayWrite && usedBy.some((one) => one.isWritten);
  return (
    <>
      {isTooMuch && (
        <p className="mt-3 rounded-md bg-brass-tint px-3 py-2 text-brass">
          Its workflows only read. An access key that may only read is enough, and safer.
        </p>
      )}
      {lacks && (
        <p className="mt-3 rounded-md bg-brick-tint px-3 py-2 text-brick">
          A workflow writes to it, and this account may only read. Ask for the right to write.
        </p>
      )}
      {health.places && health.places.length > 0 && (
        <>
          <h3 className="mt-4 mb-1 font-sans font-semibold">Rights</h3>
          <ul>
            {health.places.map((place) => (
              <li key={place.label} className="flex justify-between gap-3 border-b border-line-2 py-1">
                <span className="truncate">{place.label}</span>
                <span className="shrink-0 text-ink-2">{place.mayWrite ? 'read and write' : 'read only'}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** Name, address and key; where they lead elsewhere than before, whether that is the same account. */
function ChangeForm({ connection }: { readonly connection: Whole }) {
  const app = useApps().data?.find((one) => one.id === connection.app);
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
      else if (error.kind === 'key-needed' && app?.settings.some((setting) => setting.isSecret)) {
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
      {app?.settings.map((setting) => (
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
        {app?.signsIn && <SignInAgain connection={connection} given={getValues} />}
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
}

/** Signs in at the app anew, for a sign-in that has ended, was withdrawn, or was for another address. */
function SignInAgain({ connection, given }: SignInAgainProps) {
  const [problem, setProblem] = useState('');
  const { begin, isWaiting } = useSignIn(() => setProblem(''), setProblem);
  const mayWrite = connection.health?.mayWrite ?? true;
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
