import type PQueue from 'p-queue';
import type { Logger } from 'pino';
import type { Connections } from '../connections.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { Events } from '../events.ts';
import type { Matcher } from '../matching/matcher.ts';
import type { Mirrors } from '../matching/mirrors.ts';
import type { Seams } from '../seams.ts';
import type { Blotting } from '../secrets/blotting.ts';
import type { Workflows } from '../workflows.ts';
import type { KeyedLocks } from './locks.ts';

/** What every part of the engine works with. */
export interface EngineContext {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly connections: Connections;
  readonly workflows: Workflows;
  readonly events: Events;
  readonly seams: Seams;
  readonly blotting: Blotting;
  readonly log: Logger;
  readonly locks: KeyedLocks;
  readonly mirrors: Mirrors;
  readonly matcher: Matcher;
  /** The requests that may be under way at once to one connection. */
  slots(connection: string): PQueue;
}
