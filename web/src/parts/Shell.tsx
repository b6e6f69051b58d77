import { Plug, Settings, Store, Sun, Waypoints } from 'lucide-react';
import { NavLink, Outlet } from 'react-router';
import { Toaster } from 'sonner';
import { useChanges, useSettings, useToday } from '../api/queries.ts';
import { Mark } from './Mark.tsx';

const places = [
  { to: '/', text: 'Today', icon: Sun },
  { to: '/workflows', text: 'Workflows', icon: Waypoints },
  { to: '/connections', text: 'Connections', icon: Plug },
  { to: '/practice', text: 'Practice apps', icon: Store },
] as const;

const linkLook = ({ isActive }: { isActive: boolean }): string =>
  `relative flex flex-col items-center gap-1 rounded-md px-1 py-2 text-center text-xs leading-tight ${isActive ? 'bg-pine-tint font-semibold text-pine' : 'text-ink-2 hover:bg-pine-faint'}`;

/** The frame of every screen: where one is, and the way elsewhere. */
export function Shell() {
  useChanges();
  const settings = useSettings().data;
  const unsettled = useToday().data?.needs.reduce((sum, need) => sum + need.count, 0) ?? 0;
  return (
    <div className="grid h-full grid-cols-[76px_1fr] grid-rows-[44px_1fr]">
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-2">
        Skip to the page
      </a>
      <div className="flex items-center justify-center border-r border-b border-line-1">
        <Mark />
      </div>
      <header className="flex items-center gap-3 border-b border-line-1 px-3.5">
        <span className="font-serif text-lg font-medium">Golden Relay</span>
        {settings?.workspace && (
          <span
            className={`rounded-full border px-2.5 py-0.5 text-sm ${settings.isPractice ? 'border-dashed border-brass-fill text-brass' : 'border-line-1 text-ink-2'}`}
          >
            {settings.workspace}
            {settings.isPractice && ' · practice data'}
          </span>
        )}
      </header>
      <nav aria-label="Main" className="flex flex-col gap-1 border-r border-line-1 p-1.5">
        {places.map(({ to, text, icon: Icon }) => (
          <NavLink key={to} to={to} end={to === '/'} className={linkLook}>
            <Icon size={19} strokeWidth={1.75} aria-hidden="true" />
            {text}
            {to === '/' && unsettled > 0 && (
              <span className="absolute top-1 right-1.5 rounded-full bg-brass-tint px-1.5 text-xs font-semibold text-brass">
                {unsettled}
                <span className="sr-only"> unsettled</span>
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
        <Outlet />
      </main>
      <Toaster position="bottom-right" toastOptions={{ className: 'font-sans' }} />
    </div>
  );
}
