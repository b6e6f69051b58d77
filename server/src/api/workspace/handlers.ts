import type { App } from '@golden/connectors';
import { addBalances, balanceOf, emptyBalance } from '@golden/core';
import { folderTrouble } from '../../arrivals/files/folder-watch.ts';
import { afterDowntime, dismissDowntime } from '../../engine/downtime.ts';
import type { Services } from '../../services.ts';
import { loadSettings, saveSettings } from '../../settings.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { needsOf } from './needs.ts';
import { pausesOf } from './pauses.ts';
import { quietOnes } from './quiet.ts';
import type { workspaceRoutes } from './routes.ts';
import { workflowRows } from './workflow-rows.ts';

/** The workspace: its settings, its day, the apps it can be connected to. */
export function workspaceHandlers(services: Services) {
  const {
    db,
    apps,
    practice,
    connections,
    engine,
    storage,
    stopSwitch,
    events,
    backups,
    retention,
    publicAddress,
    seams,
  } = services;
  return {
    'GET /api/settings': () => loadSettings(db),
    'PUT /api/settings': async ({ body }) => {
      const before = await loadSettings(db);
      await saveSettings(db, body);
      // What may be called now decides whether connections to web addresses work.
      if (before.mayCallInside !== body.mayCallInside) {
        const called = new Set(apps.filter((app) => app.isCalled).map((app) => app.id));
        for (const one of await connections.list()) if (called.has(one.app)) await engine.retryConnection(one.id);
      }
      return loadSettings(db);
    },
    'GET /api/today': async () => {
      const rows = await workflowRows(services);
      return {
        balance: rows.reduce((sum, row) => addBalances(sum, balanceOf(row.today, row.today.items)), emptyBalance),
        needs: await needsOf(services),
        workflows: rows,
        pauses: await pausesOf(services),
        quiet: await quietOnes(services),
        drifted: [...(await services.reconciles.drifted())],
        trouble:
          storage.message ??
          backups.trouble ??
          services.teller.trouble ??
          (await publicAddress.trouble()) ??
          (await folderTrouble(db)),
        stopped: stopSwitch.now,
        off: await afterDowntime(db, seams.now()),
      };
    },
    'GET /api/backups': async () => ({
      folder: backups.folder,
      copies: await backups.list(),
      trouble: backups.trouble,
    }),
    'POST /api/backups': () => backups.make(),
    'GET /api/kept-values': () => retention.standing(),
    'POST /api/kept-values/take-out': async () => {
      retention.begin();
      return done;
    },
    'POST /api/kept-values/stop': async () => {
      await retention.stop();
      return done;
    },
    'POST /api/stop': async ({ body }) => {
      await engine.stopEverything(body.why);
      return done;
    },
    'POST /api/go-on': async () => {
      await engine.goOn();
      return done;
    },
    'POST /api/off/seen': async () => {
      await dismissDowntime(db);
      events.tell({ topic: 'workspace' });
      return done;
    },
    'GET /api/apps': async () =>
      apps
        .filter((app) => !app.isInternal)
        .map((app) => ({
          ...practiceOf(practice.addresses[app.id], app.settings),
          id: app.id,
          title: app.title,
          holds: app.holds,
          makesPlaces: app.makesPlaces ?? false,
          takesTemplates: app.takesTemplates ?? false,
          signsIn: app.signIn !== undefined,
          takesKey: app.signIn === undefined || app.signIn.isOptional === true,
          isOneRight: app.signIn?.isOneRight ?? false,
          isCalled: app.isCalled ?? false,
        })),
  } satisfies Handlers<typeof workspaceRoutes>;
}

/** What is asked to connect an app; where it is practised with, its address and its screens as well. */
function practiceOf(address: string | undefined, settings: App['settings']) {
  if (address === undefined) return { settings: settings.map((one) => ({ ...one })) };
  return {
    settings: settings.map((one) => (one.name === 'address' ? { ...one, value: address } : { ...one })),
    screens: new URL('/', address).href,
  };
}
