import { z } from 'zod';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { readSetting, writeSetting } from '../settings.ts';

const timeOfDay = z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, 'A time of the day is like 07:30.');

/** Who is told of what, and when. */
export const TellingSchema = z.object({
  /** The mailbox that the mails go through, or the web address that events are posted to; '' where nobody is told. */
  connection: z.string().max(200),
  /** One address, or several with commas between; for events what comes after the web address. */
  to: z.string().trim().max(400),
  /** When the daily mail comes, by the workspace's clock; '' for never. */
  dailyAt: z.union([z.literal(''), timeOfDay]),
  /** Whether something that needs a person is told at once. */
  onNeeds: z.boolean(),
  /** Between these nobody is told of that; the daily mail comes at its time. */
  nightFrom: timeOfDay,
  nightTo: timeOfDay,
});
export type Telling = z.infer<typeof TellingSchema>;

export const nobodyTold: Telling = {
  connection: '',
  to: '',
  dailyAt: '07:30',
  onNeeds: true,
  nightFrom: '20:00',
  nightTo: '07:00',
};

/** What has been told. */
const ToldSchema = z.object({
  /** The day whose mail was sent last, by the workspace's clock. */
  daily: z.string(),
  needsAt: z.string(),
  needs: z.record(z.string(), z.number()),
});
export type ToldSoFar = z.infer<typeof ToldSchema>;

export const loadTelling = async (db: Db | Trx): Promise<Telling> =>
  (await readSetting(db, 'telling', TellingSchema)) ?? nobodyTold;

export const saveTelling = (db: Db, telling: Telling): Promise<void> => writeSetting(db, 'telling', telling);

export const loadTold = async (db: Db | Trx): Promise<ToldSoFar> =>
  (await readSetting(db, 'told', ToldSchema)) ?? { daily: '', needsAt: '', needs: {} };

export const saveTold = (db: Db, told: ToldSoFar): Promise<void> => writeSetting(db, 'told', told);
