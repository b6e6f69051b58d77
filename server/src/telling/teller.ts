import {
  type DayToTell,
  dailyData,
  dailyMail,
  isBetween,
  type NeedToTell,
  needsData,
  needsMail,
  newNeeds,
  type Quiet,
} from '@golden/core';
import { DateTime } from 'luxon';
import type { Logger } from 'pino';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import type { Seams } from '../seams.ts';
import { loadSettings } from '../settings.ts';
import { sendTold, type ToTell } from './send.ts';
import { loadTelling, loadTold, saveTold, type Telling } from './telling.ts';

/** Milliseconds between two looks. */
const looksEvery = 30_000;
/** Milliseconds between two mails of what needs somebody: what comes meanwhile goes into the next one. */
const gathers = 30 * 60_000;

/** What is to be told of, as it is now. */
export interface TellerParts {
  readonly db: Db;
  readonly seams: Seams;
  readonly connections: Pick<Connections, 'connector' | 'get' | 'masked'>;
  readonly log: Logger;
  readonly isStopped: () => boolean;
  readonly needs: () => Promise<readonly (NeedToTell & { readonly key: string })[]>;
  readonly days: () => Promise<readonly DayToTell[]>;
  readonly quiet: () => Promise<readonly (Quiet & { readonly workflow: string })[]>;
  readonly troubles: () => Promise<readonly string[]>;
  readonly address: () => Promise<string>;
}

/**
 * Tells whoever answers for the workflows, by mail or by a posted event: each day at a time, and when something needs
 * them. It counts as sent only once the other side took it, so that after a crash it may come twice rather than never.
 */
export class Teller {
  /** Why the last mail or event could not be sent; null when it could. */
  trouble: string | null = null;
  private timer: NodeJS.Timeout | undefined;
  private underWay: Promise<void> | undefined;

  constructor(private readonly parts: TellerParts) {}

  start(): void {
    this.timer = setInterval(() => void this.look(), looksEvery);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.underWay;
  }

  /** Sends what is to be told now. */
  look(): Promise<void> {
    this.underWay ??= this.lookNow()
      .catch((error: Error) => {
        const said = this.parts.connections.masked(error.message);
        this.parts.log.info({ said }, 'what tells could not be sent');
        this.trouble = `What tells you could not be sent: ${said}`;
      })
      .finally(() => {
        this.underWay = undefined;
      });
    return this.underWay;
  }

  /** Sends one now, to see whether it comes. @throws what the connection throws */
  async tryOut(telling: Telling): Promise<void> {
    const subject = 'Golden Relay can reach you';
    const text = 'This mail was sent to see whether it comes. It needs no answer.\n';
    const occasion = this.parts.seams.now();
    await this.send(telling, { kind: 'trial', mail: { subject, text }, data: { title: subject }, occasion });
  }

  private async lookNow(): Promise<void> {
    const { db, seams, isStopped } = this.parts;
    const telling = await loadTelling(db);
    if (telling.connection === '' || isStopped()) return;
    const { zone } = await loadSettings(db);
    const now = DateTime.fromISO(seams.now(), { zone });
    const [day, time] = [now.toISODate() ?? '', now.toFormat('HH:mm')];
    const told = await loadTold(db);
    if (telling.dailyAt !== '' && time >= telling.dailyAt && told.daily < day) {
      const needs = await this.parts.needs();
      await this.send(telling, await this.daily(now, needs, day));
      const known = Object.fromEntries(needs.map(({ key, count }) => [key, count]));
      await saveTold(db, { daily: day, needsAt: seams.now(), needs: known });
      return;
    }
    if (!telling.onNeeds || isBetween(time, telling.nightFrom, telling.nightTo)) return;
    if (told.needsAt !== '' && Date.parse(seams.now()) - Date.parse(told.needsAt) < gathers) return;
    const needs = await this.parts.needs();
    const next = newNeeds(needs, told.needs);
    if (next.isNews) {
      const mail = needsMail(needs, await this.parts.address());
      const data = needsData(needs, mail.subject);
      await this.send(telling, { kind: 'needs_you', mail, data, occasion: told.needsAt });
    }
    if (next.isNews || Object.keys(next.told).length < Object.keys(told.needs).length)
      await saveTold(db, { ...told, needs: next.told, ...(next.isNews && { needsAt: seams.now() }) });
  }

  /** Of the day before: what came, and all that needs somebody now. */
  private async daily(now: DateTime, needs: readonly NeedToTell[], occasion: string): Promise<ToTell> {
    const { days, quiet, troubles, address } = this.parts;
    const summary = {
      day: now.minus({ days: 1 }).setLocale('en-GB').toFormat('cccc d LLLL'),
      days: await days(),
      needs,
      quiet: await quiet(),
      troubles: await troubles(),
      address: await address(),
    };
    const mail = dailyMail(summary);
    return { kind: 'daily', mail, data: dailyData(summary, mail.subject), occasion };
  }

  private async send(telling: Telling, toTell: ToTell): Promise<void> {
    await sendTold(this.parts, telling, toTell, this.parts.seams.now());
    this.trouble = null;
  }
}
