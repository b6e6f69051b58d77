import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { type RestDescription, RestDescriptionSchema } from '@golden/connectors';
import { serve } from '@hono/node-server';
import { serveStatic } from '@hono/node-server/serve-static';
import { makeApi } from './api/app.ts';
import { connectList } from './consent/list-connector.ts';
import { asSentence, expectContent, holdFolder } from './data-folder.ts';
import { MigrationFailed } from './db/open.ts';
import { makeDoor } from './doors/door-app.ts';
import { makeMailListener } from './doors/mail/mail-listener.ts';
import { Stopped } from './matching/worker-client.ts';
import { masterKey } from './secrets/sealing.ts';
import { makeServices, type Services } from './services.ts';

// The command-line entry `golden`: serves one data folder on this machine.

const { values } = parseArgs({
  options: {
    data: { type: 'string', default: process.env['GOLDEN_DATA'] ?? '.data/golden' },
    /** Begins an empty workspace where the data file has lost its content. */
    new: { type: 'boolean', default: false },
    /** The port of the door, at which events are posted. */
    'door-port': { type: 'string', default: process.env['GOLDEN_DOOR_PORT'] ?? '4605' },
    /** On which of this machine's addresses the door listens; 127.0.0.1 where a proxy on this machine passes on to it. */
    'door-host': { type: 'string', default: process.env['GOLDEN_DOOR_HOST'] ?? '127.0.0.1' },
    /** The port to which mail servers hand over mails for workflows, and on which of this machine's addresses it listens. */
    'mail-port': { type: 'string', default: process.env['GOLDEN_MAIL_PORT'] ?? '2525' },
    'mail-host': { type: 'string', default: process.env['GOLDEN_MAIL_HOST'] ?? '127.0.0.1' },
    /** Files with a certificate and its key, in PEM, by which mail servers may encrypt the line. */
    'mail-cert': { type: 'string', default: process.env['GOLDEN_MAIL_CERT'] ?? '' },
    'mail-key': { type: 'string', default: process.env['GOLDEN_MAIL_KEY'] ?? '' },
    port: { type: 'string', default: process.env['GOLDEN_PORT'] ?? '4600' },
    web: { type: 'string', default: 'web/dist' },
    /** Practice apps, as `app=address`, as often as needed. */
    practice: { type: 'string', multiple: true, default: [] },
  },
});

// What this process writes is for its owner's eyes.
process.umask(0o077);

await main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});

async function main(): Promise<void> {
  const dataFolder = resolve(values.data);
  const port = Number(values.port);
  const held = holdFolder(dataFolder);
  const services = await open(dataFolder);
  // One fault of ours must not end everything: it is told, and all else goes on.
  process.on('unhandledRejection', (error) => {
    const said = error instanceof Error ? error.message : String(error);
    services.log.error({ said: services.redaction.clean(said) }, 'something failed that nobody waited for');
  });
  const app = makeApi(services);
  const web = resolve(values.web);
  if (existsSync(web)) {
    app.use('/assets/*', serveStatic({ root: web, rewriteRequestPath: (path) => path }));
    app.get('*', (c) => c.html(readFileSync(join(web, 'index.html'), 'utf8')));
  }
  const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, () => {
    console.log(`Golden Relay is at http://127.0.0.1:${port}`);
    void begin(services);
  });
  const doorPort = Number(values['door-port']);
  const door = serve({ fetch: makeDoor(services).fetch, port: doorPort, hostname: values['door-host'] }, (at) => {
    services.publicAddress.port = at.port;
  });
  const mail = takeMails(services);
  const noPort = (port: number, flag: string) => (error: NodeJS.ErrnoException) => {
    console.error(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is in use. End the program that uses it, or choose another with ${flag}.`
        : error.message,
    );
    process.exit(1);
  };
  server.on('error', noPort(port, '--port'));
  door.on('error', noPort(doorPort, '--door-port'));
  const end = (): void => {
    server.close();
    door.close();
    mail.close();
    void services.close().then(() => {
      held.release();
      process.exit(0);
    });
  };
  process.on('SIGINT', end);
  process.on('SIGTERM', end);
}

/** Takes mails at the mail port; one that is in use keeps nothing else from working, and is told where mails are set up. */
function takeMails(services: Services): { close(): void } {
  const { mailDoors, events } = services;
  const port = Number(values['mail-port']);
  const [cert, key] = [values['mail-cert'], values['mail-key']];
  if ((cert === '') !== (key === '')) throw new Error('Give both --mail-cert and --mail-key, or neither.');
  const listener = makeMailListener(
    services,
    cert === '' ? {} : { certificate: { cert: readFileSync(cert, 'utf8'), key: readFileSync(key, 'utf8') } },
  );
  listener.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EADDRINUSE' && error.code !== 'EACCES') return;
    mailDoors.trouble = `No mails are taken: port ${port} is in use by another program, or not allowed. Choose another with --mail-port, and start again.`;
    events.tell({ topic: 'workspace' });
  });
  if (port > 0) mailDoors.port = port;
  listener.listen(port, values['mail-host'], () => {
    const at = listener.server.address();
    if (typeof at === 'object' && at) mailDoors.port = at.port;
  });
  return { close: () => listener.close(() => undefined) };
}

/** @throws CannotUseFolder with a sentence */
async function open(dataFolder: string): Promise<Services> {
  try {
    if (!values.new) expectContent(join(dataFolder, 'golden.sqlite'), `${dataFolder}.key`);
    const services = await makeServices({
      dataFile: join(dataFolder, 'golden.sqlite'),
      masterKey: masterKey(process.env['GOLDEN_KEY'], `${dataFolder}.key`),
      readyFolder: join(dataFolder, 'ready'),
      backupFolder: `${dataFolder}.backups`,
      descriptions: readDescriptions(join(dataFolder, 'apps')),
      practicePrograms: {
        fill: join(import.meta.dirname, 'make-demo.mjs'),
        serve: join(import.meta.dirname, 'practice.mjs'),
      },
      addresses: Object.fromEntries(values.practice.map((one) => one.split(/=(.*)/s).slice(0, 2) as [string, string])),
    });
    // Before anything can come: a file that is just being stored has no row yet.
    await services.arrivals.sweep();
    await connectList(services.connections);
    return services;
  } catch (error) {
    const cause = error instanceof MigrationFailed ? error.cause : error;
    const told = asSentence(dataFolder, cause);
    throw told === cause ? error : told;
  }
}

/** Takes up what the last process left, in the background: the server serves meanwhile. */
async function begin({
  engine,
  files,
  duplicates,
  reconciles,
  recordIndex,
  undos,
  backups,
  retention,
  checkpoints,
  mirrors,
  teller,
  askLetters,
  practice,
  publicAddress,
  events,
  log,
  redaction,
}: Services): Promise<void> {
  const tell = (error: unknown): void => {
    const said = error instanceof Error ? error.message : String(error);
    log.error({ said: redaction.clean(said) }, 'not everything could be taken up');
  };
  checkpoints.start();
  // Before anything is asked of them.
  await practice.resume().catch(tell);
  await files.resume().catch(tell);
  await engine.start().catch(tell);
  // Nobody waits for it; an end in the middle is none of its faults.
  void mirrors.warmUp().catch((error: unknown) => (error instanceof Stopped ? undefined : tell(error)));
  await duplicates.resume().catch(tell);
  await reconciles.resume().catch(tell);
  recordIndex.start();
  await undos.goOn().catch(tell);
  undos.start();
  reconciles.start();
  backups.start();
  retention.start();
  teller.start();
  askLetters.start();
  publicAddress.watch(() => events.tell({ topic: 'workspace' }));
}

/** Descriptions of further HTTP apps that a person put into the data folder. */
function readDescriptions(folder: string): RestDescription[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((name) => name.endsWith('.json'))
    .map((name) => {
      const read = RestDescriptionSchema.safeParse(JSON.parse(readFileSync(join(folder, name), 'utf8')));
      if (!read.success) {
        const [issue] = read.error.issues;
        throw new Error(`${join(folder, name)} describes no app: ${issue?.path.join(' → ')}: ${issue?.message}`);
      }
      return read.data;
    });
}
