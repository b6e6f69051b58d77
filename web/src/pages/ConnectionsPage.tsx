import { Plus, RefreshCw } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useConnection, useConnections, useSettings } from '../api/queries.ts';
import { ConnectDrawer } from '../editor/place/ConnectDrawer.tsx';
import { ownApps } from '../editor/place/chosen-place.ts';
import { Button } from '../parts/Button.tsx';
import { ChangeForm } from '../parts/ChangeConnection.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { counted, formatInstant } from '../parts/formats.ts';
import { HealthNote } from '../parts/HealthNote.tsx';
import { EmptyState, Loading } from '../parts/Messages.tsx';

/** Is it connected, as whom, what may it, since when. */
export function ConnectionsPage() {
  const connections = useConnections();
  // What comes by itself is no app that somebody signs in to.
  const shown = connections.data?.filter(({ app }) => !ownApps.includes(app));
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
      {shown?.length === 0 && (
        <EmptyState title="No app is connected yet." action={connect}>
          A connection is one signed-in account of an app. Give it only the rights it needs: to copy from an app,
          reading is enough.
        </EmptyState>
      )}
      {shown && shown.length > 0 && (
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
            {shown.map((one) => (
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
