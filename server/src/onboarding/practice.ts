import { type ChildProcess, execFile, spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { KnownAddresses } from '@golden/connectors';
import { z } from 'zod';
import { Told } from '../told.ts';

/** The built programs: the one that fills the practice apps, and the one that serves them. */
export interface PracticePrograms {
  readonly fill: string;
  readonly serve: string;
}

/**
 * How the practice apps stand: `beside` were started by somebody else, with this server; `none` can't be
 * started here, because their programs weren't built.
 */
export type PracticeState = 'none' | 'off' | 'starting' | 'on' | 'beside';

/** The practice apps can't be started or removed; the message says why. */
export class PracticeProblem extends Told {
  override readonly name = 'PracticeProblem';
  readonly status = 409;
  readonly type = 'practice';
}

/** The apps by id, each with its option on the command line and the port it has by preference. */
const practiceApps = [
  { app: 'shop_counter', option: 'shop', port: 4601 },
  { app: 'workbook_shelf', option: 'shelf', port: 4602 },
  { app: 'ledger', option: 'ledger', port: 4603 },
  { app: 'card_index', option: 'cards', port: 4604 },
  { app: 'enquiry_box', option: 'enquiry', port: 4606 },
  { app: 'notice_board', option: 'notice', port: 4607 },
  { app: 'post_room', option: 'post', port: 4608 },
  { app: 'job_board', option: 'jobs', port: 4611 },
  { app: 'pocket_messages', option: 'pocket', port: 4612 },
  { app: 'newsletter_list', option: 'newsletter', port: 4613 },
  { app: 'key_cabinet', option: 'cabinet', port: 4614 },
  { app: 'window_display', option: 'window', port: 4615 },
] as const;

const Kept = z.object({ ports: z.record(z.string(), z.int()) });
const Keys = z.array(
  z.object({
    app: z.string(),
    name: z.string(),
    key: z.string(),
    settings: z.record(z.string(), z.string()).optional(),
  }),
);

/** How a practice app is connected. */
export type PracticeKey = z.infer<typeof Keys>[number];

/** Enough records to see everything happen, few enough to be there in a moment. */
const customers = 240;

/** Runs the practice apps as a program of their own, on data of their own, beside this server. */
export class Practice {
  private child: ChildProcess | undefined;
  private isStarting = false;
  private at: KnownAddresses = {};

  /**
   * @param folder - where their data are
   * @param mailPort - where mails for workflows are taken
   * @param beside - addresses of practice apps that were started with this server, by app
   */
  constructor(
    private readonly folder: string,
    private readonly programs: PracticePrograms | undefined,
    private readonly beside: KnownAddresses,
    private readonly mailPort: () => number = () => 2525,
  ) {}

  /** Where the apps are now, by app id; empty while they don't run. */
  get addresses(): KnownAddresses {
    return { ...this.beside, ...this.at };
  }

  get state(): PracticeState {
    if (Object.keys(this.beside).length > 0) return 'beside';
    if (this.isStarting) return 'starting';
    if (this.child) return 'on';
    return this.programs && existsSync(this.programs.serve) ? 'off' : 'none';
  }

  /** Starts them again where they ran before this server ended. */
  async resume(): Promise<void> {
    const ports = this.keptPorts();
    // An app that has come since they were made takes a port as at first.
    if (ports && this.state === 'off') await this.serve({ ...(await choosePorts()), ...ports });
  }

  /**
   * Fills the apps with the demo's data and starts them.
   * @returns how each is connected
   * @throws PracticeProblem when they can't be started; nothing is left behind then
   */
  async start(): Promise<readonly PracticeKey[]> {
    if (this.state !== 'off' || !this.programs)
      throw new PracticeProblem(
        this.state === 'none'
          ? 'The practice apps aren’t built here. Run npm run build.'
          : 'The practice apps are running.',
      );
    this.isStarting = true;
    try {
      rmSync(this.folder, { recursive: true, force: true });
      mkdirSync(this.folder, { recursive: true, mode: 0o700 });
      const { stdout } = await promisify(execFile)(process.execPath, [
        this.programs.fill,
        '--practice',
        this.folder,
        '--customers',
        String(customers),
      ]);
      const keys = Keys.parse(JSON.parse(stdout.trim().split('\n').at(-1) ?? ''));
      const ports = await choosePorts();
      await this.serve(ports);
      writeFileSync(this.portsFile, JSON.stringify({ ports }));
      return keys;
    } catch (error) {
      this.stop();
      rmSync(this.folder, { recursive: true, force: true });
      if (error instanceof PracticeProblem) throw error;
      throw new PracticeProblem(`The practice apps could not be started: ${(error as Error).message}`, {
        cause: error,
      });
    } finally {
      this.isStarting = false;
    }
  }

  /** Ends them; their data stay, and they come back with the next start of this server. */
  stop(): void {
    this.child?.removeAllListeners();
    this.child?.kill();
    this.child = undefined;
    this.at = {};
  }

  /** Ends them and removes their data. */
  remove(): void {
    this.stop();
    rmSync(this.folder, { recursive: true, force: true });
  }

  private async serve(ports: Readonly<Record<string, number>>): Promise<void> {
    const options = practiceApps.flatMap(({ app, option }) => [`--${option}`, String(ports[app])]);
    const child = spawn(
      process.execPath,
      [
        this.programs?.serve ?? '',
        '--data',
        this.folder,
        '--attached',
        '--outside',
        `127.0.0.1:${this.mailPort()}`,
        ...options,
      ],
      { stdio: ['pipe', 'pipe', 'pipe'] },
    );
    let said = '';
    child.stderr.on('data', (piece) => {
      said += String(piece);
    });
    await new Promise<void>((resolve, reject) => {
      // It says where each is once all of them listen.
      child.stdout.on('data', () => resolve());
      child.once('error', reject);
      child.once('exit', () => reject(new PracticeProblem(said.trim() || 'The practice apps ended at once.')));
    });
    child.removeAllListeners('exit');
    child.once('exit', () => {
      this.child = undefined;
      this.at = {};
    });
    this.child = child;
    this.at = Object.fromEntries(practiceApps.map(({ app }) => [app, `http://127.0.0.1:${ports[app]}/api`]));
  }

  private get portsFile(): string {
    return join(this.folder, 'ports.json');
  }

  private keptPorts(): Readonly<Record<string, number>> | undefined {
    if (!existsSync(this.portsFile)) return undefined;
    const read = Kept.safeParse(JSON.parse(readFileSync(this.portsFile, 'utf8')));
    return read.success ? read.data.ports : undefined;
  }
}

/** A port for each app: the usual one, or another that is free. */
async function choosePorts(): Promise<Record<string, number>> {
  const ports: Record<string, number> = {};
  for (const { app, port } of practiceApps) ports[app] = (await freePort(port)) ?? (await freePort(0)) ?? 0;
  return ports;
}

/** The port when it is free; 0 asks for any. */
const freePort = (wanted: number): Promise<number | undefined> =>
  new Promise((resolve) => {
    const probe = createServer()
      .once('error', () => resolve(undefined))
      .listen(wanted, '127.0.0.1', () => {
        const address = probe.address();
        probe.close(() => resolve(typeof address === 'object' && address ? address.port : undefined));
      });
  });
