import { FolderOpen, Globe, KeyRound } from 'lucide-react';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import { useNavigate } from 'react-router';
import { useApps } from '../api/queries.ts';
import { KeyRequestDialog } from './KeyRequestDialog.tsx';

const ConnectDrawer = lazy(async () => ({
  default: (await import('../editor/place/ConnectDrawer.tsx')).ConnectDrawer,
}));

/** The ways to connect an app that work today, and what each needs. */
const ways = [
  {
    app: 'folder',
    icon: FolderOpen,
    title: 'A folder of workbooks',
    needs: 'You need: the path of the folder on this machine.',
  },
  {
    app: 'web_address',
    icon: Globe,
    title: 'An app with a web interface (HTTP)',
    needs: 'You need: its web address and an access key.',
  },
] as const;

/** Connecting an app of one's own. */
export function ConnectDoor() {
  const apps = useApps().data ?? [];
  const navigate = useNavigate();
  const [open, setOpen] = useState<string>();
  const [isAsking, setAsking] = useState(false);
  const app = apps.find((one) => one.id === open);
  return (
    <section
      aria-labelledby="door-connect"
      className="flex min-h-[230px] flex-col rounded-lg border border-line-1 bg-sheet px-6 py-5"
    >
      <h2 id="door-connect" className="text-2xl">
        Connect my app
      </h2>
      <p className="mt-2 mb-3 text-md">What can be connected today:</p>
      <ul className="space-y-2.5">
        {ways.map((way) => (
          <li key={way.app}>
            <Way icon={<way.icon size={16} strokeWidth={1.75} />} title={way.title} onChoose={() => setOpen(way.app)}>
              {way.needs}
            </Way>
          </li>
        ))}
        <li>
          <Way
            icon={<KeyRound size={16} strokeWidth={1.75} />}
            title="Somebody else has the access key"
            onChoose={() => setAsking(true)}
          >
            A text to send them, asking for the smallest right that is enough.
          </Way>
        </li>
      </ul>
      {app && (
        <Suspense fallback={null}>
          <ConnectDrawer
            app={app}
            isOpen
            onClose={() => setOpen(undefined)}
            onConnected={() => void navigate('/workflows/new')}
          />
        </Suspense>
      )}
      <KeyRequestDialog isOpen={isAsking} onClose={() => setAsking(false)} />
    </section>
  );
}

interface WayProps {
  readonly icon: ReactNode;
  readonly title: string;
  readonly onChoose: () => void;
  readonly children: ReactNode;
}

function Way({ icon, title, onChoose, children }: WayProps) {
  return (
    <button type="button" onClick={onChoose} className="group flex items-start gap-2.5 text-left">
      <span className="mt-0.5 text-pine" aria-hidden="true">
        {icon}
      </span>
      <span>
        <span className="block font-medium text-pine group-hover:underline">{title}</span>
        <span className="block text-sm text-ink-2">{children}</span>
      </span>
    </button>
  );
}
