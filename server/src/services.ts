import { dirname, join } from 'node:path';
import { type App, appsFor, type KnownAddresses, type OpenOptions, type RestDescription } from '@golden/connectors';
import pino, { type Logger } from 'pino';
import { Arrivals } from './arrivals/arrivals.ts';
import { ByteStore } from './arrivals/byte-store.ts';
import { Files } from './arrivals/files/files.ts';
import { FolderWatch } from './arrivals/files/folder-watch.ts';
import { inboxAppOn } from './arrivals/inbox-connector.ts';
import { putTime } from './arrivals/told-by-time.ts';
import { Answers } from './asking/answer.ts';
import { LetterAccess } from './asking/letter-access.ts';
import { AskLetters } from './asking/letters.ts';
import { Attachments } from './attachments.ts';
import { Backups } from './backups.ts';
import { ReadyWorkflows } from './building/ready.ts';
import { Connections } from './connections.ts';
import { listAppOn } from './consent/list-connector.ts';
import { UnsubscribeLinks } from './consent/unsubscribe-link.ts';
import { Checkpoints } from './db/checkpoints.ts';
import { GroupCommit } from './db/group-commit.ts';
import { type Db, openDb } from './db/open.ts';
import { documentAppOn, documentServerAppOn } from './documents/document-app.ts';
import { Documents } from './documents/documents.ts';
import { DocumentTemplates } from './documents/templates.ts';
import { Doors } from './doors/doors.ts';
import { MailDoors } from './doors/mail/mail-doors.ts';
import { callAddress, PublicAddress } from './doors/public-address.ts';
import { Refusals } from './doors/refusals.ts';
import { Comings } from './engine/coming.ts';
import { RequestSlots } from './engine/context.ts';
import { EndingLooks } from './engine/endings/looks.ts';
import { Engine } from './engine/engine.ts';
import { KeyedLocks, PlaceLocks } from './engine/locks.ts';
import { Pauses } from './engine/pauses.ts';
import { Seats } from './engine/seats.ts';
import { StopSwitch } from './engine/stop-switch.ts';
import { gatherChanges } from './engine/stored-state.ts';
import { Events } from './events.ts';
import { Forms } from './forms/forms.ts';
import { DuplicateSearches } from './matching/duplicates.ts';
import { Matcher } from './matching/matcher.ts';
import { Merges } from './matching/merges.ts';
import { Mirrors } from './matching/mirrors.ts';
import { MatchingWorker } from './matching/worker-client.ts';
import { Lists } from './onboarding/lists.ts';
import { Practice, type PracticePrograms } from './onboarding/practice.ts';
import { Reconciles } from './reconcile/reconciles.ts';
import { RecordIndex } from './records/record-index.ts';
import { Retention } from './retention/retention.ts';
import { realSeams, type Seams } from './seams.ts';
import { Redaction } from './secrets/redaction.ts';
import { Sealing } from './secrets/sealing.ts';
import { loadSettings } from './settings.ts';
import { SignIns } from './sign-ins.ts';
import { tellerParts } from './telling/parts.ts';
import { Teller } from './telling/teller.ts';
import { TextTemplates } from './text-templates/text-templates.ts';
import { Undos } from './undo/undos.ts';
import { Workflows } from './workflows.ts';

/** How a server is put together. */
export interface ServiceOptions {
  readonly dataFile: string;
  readonly masterKey: string;
  readonly descriptions?: readonly RestDescription[];
  /** Where practice apps are that were started beside this server, by app id. */
  readonly addresses?: KnownAddresses;
  readonly seams?: Seams;
  /** A folder with ready-made workflows as exported files. */
  readonly readyFolder?: string;
  /** Where copies of the data file go; beside it when absent. */
  readonly backupFolder?: string;
  /** The programs that make practice data and serve the practice apps; none where they aren't built. */
  readonly practicePrograms?: PracticePrograms | undefined;
  readonly open?: OpenOptions;
  readonly logLevel?: string;
}

/** Everything a server is made of. */
export interface Services {
  readonly db: Db;
  readonly apps: readonly App[];
  readonly connections: Connections;
  readonly signIns: SignIns;
  readonly workflows: Workflows;
  readonly engine: Engine;
  readonly mirrors: Mirrors;
  readonly matcher: Matcher;
  /** Why nothing can be stored at the moment; null when all is well. */
  readonly storage: { message: string | null };
  readonly pauses: Pauses;
  readonly stopSwitch: StopSwitch;
  readonly worker: MatchingWorker;
  readonly merges: Merges;
  readonly duplicates: DuplicateSearches;
  readonly reconciles: Reconciles;
  readonly recordIndex: RecordIndex;
  readonly undos: Undos;
  readonly ready: ReadyWorkflows;
  readonly backups: Backups;
  readonly retention: Retention;
  readonly checkpoints: Checkpoints;
  readonly teller: Teller;
  /** What people are asked, and what they answer. */
  readonly answers: Answers;
  readonly askLetters: AskLetters;
  readonly letterAccess: LetterAccess;
  readonly commits: GroupCommit;
  readonly arrivals: Arrivals;
  readonly attachments: Attachments;
  readonly textTemplates: TextTemplates;
  readonly documentTemplates: DocumentTemplates;
  readonly documents: Documents;
  readonly bytes: ByteStore;
  readonly doors: Doors;
  readonly mailDoors: MailDoors;
  readonly forms: Forms;
  readonly files: Files;
  readonly folders: FolderWatch;
  readonly refusals: Refusals;
  readonly publicAddress: PublicAddress;
  readonly unsubscribeLinks: UnsubscribeLinks;
  readonly lists: Lists;
  readonly practice: Practice;
  readonly seams: Seams;
  readonly events: Events;
  readonly redaction: Redaction;
  readonly log: Logger;
  close(): Promise<void>;
  /** Ends at once, as a killed process does: nothing more is stored, begun or waited for. For tests. */
  drop(): Promise<void>;
}

/** Bytes of a data file that takes more than a moment to be written. */
const longToWrite = 100_000_000;

/** Puts a server's parts together on a data file; nothing runs until the engine is started. */
export async function makeServices(options: ServiceOptions): Promise<Services> {
  const { dataFile, masterKey, descriptions = [], addresses = {}, seams = realSeams } = options;
  const events = new Events();
  const redaction = new Redaction();
  const log = pino({ level: options.logLevel ?? 'warn' });
  const { db, sqlite } = await openDb(dataFile, (bytes) => {
    if (bytes < longToWrite) return;
    log.warn({ megabytes: Math.round(bytes / 1e6) }, 'the data file is written anew once: some seconds a gigabyte');
  });
  // What a process left in the middle is put together before anybody looks.
  await gatherChanges(db);
  const bytes = new ByteStore(join(dirname(dataFile), 'bytes'));
  const list = listAppOn({ db, commits: () => commits, seams });
  const ofDocuments = { documents: () => documents, templates: () => templates };
  const made = [documentAppOn(ofDocuments), documentServerAppOn(ofDocuments)];
  const apps = [...appsFor(descriptions, addresses), ...made, inboxAppOn(db, bytes), list];
  const reach = (point: string): void => seams.reach(point as Parameters<Seams['reach']>[0]);
  const sealing = new Sealing(masterKey);
  const attachments = new Attachments({ db, bytes, seams, events });
  const templates = new DocumentTemplates({ db, commits: () => commits, bytes, seams, events });
  const documents = new Documents({
    db,
    commits: () => commits,
    bytes,
    seams,
    templates,
    attachments,
    country: async () => (await loadSettings(db)).country,
  });
  const connections = new Connections(db, apps, sealing, redaction, events, seams, {
    ...options.open,
    clock: { now: () => Date.parse(seams.now()), uptime: () => seams.uptime() },
    mayCallInside: async () => (await loadSettings(db)).mayCallInside,
    attachable: {
      names: () => attachments.names(),
      get: (name) => attachments.get(name),
      document: (id) => documents.file(id),
    },
    reach,
  });
  await connections.load();
  const workflows = new Workflows(db, events, seams);
  const storage: Services['storage'] = { message: null };
  const worker = new MatchingWorker();
  const mirrors = new Mirrors(db, connections, seams, worker, {
    log,
    folder: join(dirname(dataFile), 'indexes'),
  });
  const matcher = new Matcher(mirrors, connections);
  const commits = new GroupCommit(db, {
    pause: (milliseconds) => seams.pause(milliseconds),
    onFull: (message) => {
      storage.message = message;
      if (message) log.error({ said: message }, 'the disk is full');
      events.tell({ topic: 'workspace' });
    },
  });
  const pauses = new Pauses(db, commits, connections, seams, events);
  const stopSwitch = new StopSwitch(db, seams, events);
  const seats = new Seats();
  const slots = new RequestSlots((connection) => pauses.of(connection));
  const publicAddress = new PublicAddress({ db, seams, call: callAddress });
  const endings = new EndingLooks({ db, commits, connections, seams, slots, workflows, pauses, log, redaction });
  const engine = new Engine({
    db,
    commits,
    connections,
    workflows,
    events,
    seams,
    redaction,
    log,
    locks: new KeyedLocks(),
    places: new PlaceLocks(),
    comings: new Comings(mirrors),
    pauses,
    mirrors,
    matcher,
    slots,
    seats,
    stopSwitch,
    waitLinks: { sealing, base: (within) => publicAddress.base(within) },
    endings,
    bytes,
  });
  const arrivals = new Arrivals({
    db,
    commits,
    bytes,
    seams,
    connections,
    happened: (event) => engine.happened(event),
  });
  const files = new Files({ db, commits, bytes, arrivals, seams, happened: (event) => engine.happened(event) });
  const folders = new FolderWatch({ db, files, connections, seams, events });
  engine.beforeLook = async (id, version, at) => {
    await putTime({ connections, workflows, arrivals, db }, id, version, at);
    // Beside it: a folder that answers slowly holds nothing else up.
    const inbox = (await workflows.version(id, version)).content.start.source?.path[0];
    if (inbox !== undefined)
      void folders
        .look(inbox)
        .catch((error: Error) => log.error({ said: error.message }, 'a folder was not looked into'));
  };
  const refusals = new Refusals(db, commits);
  const doors = new Doors({ db, commits, arrivals, bytes, sealing, redaction, events, seams });
  const mailDoors = new MailDoors({ db, commits, arrivals, events, seams });
  const forms = new Forms({ db, commits, arrivals, bytes, seams, events, sealing, base: () => publicAddress.base() });
  const merges = new Merges(db, connections, mirrors, events, seams);
  const duplicates = new DuplicateSearches(db, connections, mirrors, merges, events, seams);
  const reconciles = new Reconciles({
    db,
    connections,
    workflows,
    mirrors,
    events,
    seams,
    isStopped: () => stopSwitch.now !== null,
  });
  const checkpoints = new Checkpoints({ file: dataFile, sqlite, commits, log });
  const recordIndex = new RecordIndex({
    db,
    commits,
    checkpoints,
    country: async () => (await loadSettings(db)).country,
  });
  const undos = new Undos({ db, commits, workflows, connections, recordIndex, engine, events, seams, log, redaction });
  const lists = new Lists(join(dirname(dataFile), 'lists'), connections);
  const practice = new Practice(
    join(dirname(dataFile), 'practice'),
    options.practicePrograms,
    addresses,
    () => mailDoors.port,
  );
  const backups = new Backups({
    sqlite,
    bytesFolder: bytes.folder,
    listsFolder: lists.folder,
    folder: options.backupFolder ?? join(dirname(dataFile), 'backups'),
    seams,
    zone: async () => (await loadSettings(db)).zone,
    events,
  });
  const askLetters = new AskLetters({
    db,
    commits,
    seams,
    connections,
    workflows,
    sealing,
    base: () => publicAddress.base(),
    isStopped: () => stopSwitch.now !== null,
    log,
    told: () => events.tell({ topic: 'item' }),
  });
  const services: Omit<Services, 'teller'> = {
    db,
    answers: new Answers({ db, commits, seams, workflows, events, goOn: (ids) => engine.letGoOn(ids) }),
    askLetters,
    letterAccess: new LetterAccess({ db, commits, seams, sealing, letters: askLetters }),
    storage,
    arrivals,
    attachments,
    documentTemplates: templates,
    documents,
    textTemplates: new TextTemplates({ db, commits, seams, events }),
    commits,
    bytes,
    doors,
    mailDoors,
    forms,
    files,
    folders,
    refusals,
    publicAddress,
    unsubscribeLinks: new UnsubscribeLinks({ db, commits, seams, events, sealing }),
    lists,
    practice,
    backups,
    checkpoints,
    retention: new Retention({
      db,
      sqlite,
      commits,
      checkpoints,
      seams,
      workflows,
      arrivals,
      recordIndex,
      events,
      log,
    }),
    pauses,
    worker,
    merges,
    duplicates,
    reconciles,
    recordIndex,
    undos,
    apps,
    connections,
    signIns: new SignIns(apps, connections, seams),
    workflows,
    engine,
    stopSwitch,
    mirrors,
    matcher,
    ready: new ReadyWorkflows(options.readyFolder),
    seams,
    events,
    redaction,
    log,
    drop: async () => {
      void engine.watch.stop();
      commits.drop();
      slots.drop();
      await db.destroy();
      await Promise.all([worker.stop(), documents.stop()]);
    },
    close: async () => {
      practice.stop();
      publicAddress.close();
      await services.retention.close();
      commits.end();
      await backups.stop();
      await teller.stop();
      await askLetters.stop();
      await duplicates.stopAll();
      await reconciles.stopAll();
      await undos.stopAll();
      await recordIndex.stop();
      await engine.stop();
      await Promise.all([worker.stop(), documents.stop(), services.checkpoints.stop()]);
      await db.destroy();
    },
  };
  const teller = new Teller(tellerParts(services));
  return Object.assign(services, { teller });
}
