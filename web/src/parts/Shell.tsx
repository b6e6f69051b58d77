import {
  ArrowLeftRight,
  GitCompareArrows,
  Keyboard,
  Merge,
  Plug,
  Scale,
  ScanSearch,
  Search,
  Settings,
  Store,
  Sun,
  Waypoints,
} from 'lucide-react';
import { Suspense, useEffect, useMemo, useState } from 'react';
import { NavLink, Outlet, useLocation, useNavigate } from 'react-router';
import { Toaster } from 'sonner';
import { useAsks, useChanges, usePractice, useSettings, useToday } from '../api/queries.ts';
import { CommandPalette } from './CommandPalette.tsx';
import { type Command, useOffer } from './commands.ts';
import { ErrorBoundary } from './ErrorBoundary.tsx';
import { useFirstSettings } from './first-settings.ts';
import { HintLayer } from './HintLayer.tsx';
import { Mark } from './Mark.tsx';
import { Loading } from './Messages.tsx';
import { ShortcutsDialog } from './ShortcutsDialog.tsx';
import { useShortcuts } from './shortcuts.ts';

const places = [
  { to: '/', text: 'Today', icon: Sun },
  { to: '/workflows', text: 'Workflows', icon: Waypoints },
  { to: '/needs-you', text: 'Needs you', icon: Scale },
  { to: '/records', text: 'Records', icon: ScanSearch },
  { to: '/in-step', text: 'In step', icon: ArrowLeftRight },
  { to: '/reconcile', text: 'Reconcile', icon: GitCompareArrows },
  { to: '/duplicates', text: 'Duplicates', icon: Merge },
  { to: '/connections', text: 'Connections', icon: Plug },
  { to: '/practice', text: 'Practice apps', icon: Store },
] as const;

const others = [
  { to: '/waiting', text: 'Waiting' },
  { to: '/links', text: 'Links' },
  { to: '/settings', text: 'Settings' },
  { to: '/words', text: 'Words' },
] as const;

/** The title of the browser's tab: how many need somebody, also while another tab is looked at, and where one is. */
function useTabTitle(needed: number): void {
  const { pathname } = useLocation();
  const place = [...places, ...others].find(({ to }) => (to === '/' ? pathname === to : pathname.startsWith(to)));
  const title = `${needed > 0 ? `(${needed}) ` : ''}${place ? `${place.text} · ` : ''}Golden Relay`;
  useEffect(() => {
    document.title = title;
  }, [title]);
}

const linkLook = ({ isActive }: { isActive: boolean }): string =>
  `relative flex flex-col items-center gap-1 rounded-md px-1 py-2 text-center text-xs leading-tight ${isActive ? 'bg-pine-tint font-semibold text-pine' : 'text-ink-2 hover:bg-pine-faint'}`;

/** The page gone to; the frame stands while it is loaded. */
function Paged() {
  const { pathname } = useLocation();
  return (
    // A page that failed is tried anew when another one is gone to; what several have in common stays as it is.
    <ErrorBoundary page={pathname}>
      <Suspense fallback={<Loading what="the page" />}>
        <Outlet />
      </Suspense>
    </ErrorBoundary>
  );
}

/** The frame of every screen: where one is, and the way elsewhere. */
export function Shell() {
  useChanges();
  useFirstSettings();
  const settings = useSettings().data;
  const practice = usePractice().data;
  const faults = useToday().data?.needs.reduce((sum, need) => sum + Math.max(1, need.count), 0) ?? 0;
  // What a step asks is one thing to do, however many records it asks about.
  const needed = faults + (useAsks().data ?? []).length;
  useTabTitle(needed);
  const [open, setOpen] = useState<'' | 'palette' | 'shortcuts'>('');
  const navigate = useNavigate();
  useShortcuts({ 'ctrl+k': () => setOpen('palette'), '?': () => setOpen('shortcuts') });
  const commands = useMemo(
    (): Command[] => [
      { id: 'new', group: 'Do', text: 'New workflow', run: () => void navigate('/workflows/new') },
      { id: 'shortcuts', group: 'Do', text: 'Show the shortcuts', keys: '?', run: () => setOpen('shortcuts') },
      ...[...places, ...others].map(
        ({ to, text }): Command => ({ id: to, group: 'Go to', text, run: () => void navigate(to) }),
      ),
    ],
    [navigate],
  );
  useOffer('shell', commands);
  return (
    <div className="grid h-full grid-cols-[76px_minmax(0,1fr)] grid-rows-[44px_minmax(0,1fr)]">
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-2">
        Skip to the page
      </a>
      <div className="flex items-center justify-center border-r border-b border-line-1">
        <Mark />
      </div>
      <header className="flex items-center gap-3 border-b border-line-1 px-3.5">
        <span className="font-serif text-lg font-medium whitespace-nowrap max-sm:sr-only">Golden Relay</span>
        {practice?.state === 'on' && (
          <NavLink
            to="/practice"
            className="shrink-0 rounded-full border border-dashed border-brass-fill px-2.5 py-0.5 text-sm text-brass max-lg:hidden"
          >
            practice apps are running
          </NavLink>
        )}
        {settings?.workspace && (
          <span
            className={`min-w-0 truncate rounded-full border px-2.5 py-0.5 text-sm ${settings.isPractice ? 'border-dashed border-brass-fill text-brass' : 'border-line-1 text-ink-2'}`}
          >
            {settings.workspace}
            {settings.isPractice && ' · practice data'}
          </span>
        )}
        <button
          type="button"
          onClick={() => setOpen('palette')}
          className="ml-auto flex h-[30px] w-[min(380px,40vw)] shrink-0 items-center max-sm:w-[34vw] gap-2 rounded-md border border-line-1 bg-raised px-2.5 text-left text-ink-2 hover:bg-pine-faint"
        >
          <Search size={15} strokeWidth={1.75} aria-hidden="true" />
          <span className="truncate">Find a record, a workflow, a command</span>
          <kbd className="key ml-auto max-sm:hidden">Ctrl K</kbd>
        </button>
        <button
          type="button"
          aria-label="Shortcuts"
          data-hint="Shortcuts (?)"
          onClick={() => setOpen('shortcuts')}
          className="flex size-[30px] shrink-0 items-center justify-center rounded-md border border-line-1 bg-raised text-ink-2 hover:bg-pine-faint"
        >
          <Keyboard size={16} strokeWidth={1.75} aria-hidden="true" />
        </button>
      </header>
      <nav aria-label="Main" className="flex flex-col gap-1 border-r border-line-1 p-1.5">
        {places.map(({ to, text, icon: Icon }) => (
          <NavLink key={to} to={to} end={to === '/'} className={linkLook}>
            <Icon size={19} strokeWidth={1.75} aria-hidden="true" />
            {text}
            {to === '/needs-you' && needed > 0 && (
              <span className="absolute top-0.5 left-1/2 ml-1.5 rounded-full bg-brass-tint px-1.5 text-xs font-semibold text-brass">
                {needed}
                <span className="sr-only"> records need you</span>
              </span>
            )}
          </NavLink>
        ))}
        <NavLink to="/settings" className={(state) => `mt-auto ${linkLook(state)}`}>
          <Settings size={19} strokeWidth={1.75} aria-hidden="true" />
          Settings
        </NavLink>
      </nav>
      <main id="main" tabIndex={-1} className="min-h-0 min-w-0 overflow-auto outline-none">
        <Paged />
      </main>
      <CommandPalette isOpen={open === 'palette'} onClose={() => setOpen('')} />
      <ShortcutsDialog isOpen={open === 'shortcuts'} onClose={() => setOpen('')} />
      <HintLayer />
      <Toaster position="bottom-right" toastOptions={{ className: 'font-sans' }} />
    </div>
  );
}
