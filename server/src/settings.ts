import {
  BusinessSchema,
  businessRecord,
  defaultScheme,
  emptyBusiness,
  isZone,
  type JsonRecord,
  schemePlaceholders,
  usesBusiness,
  type WorkflowContent,
} from '@golden/core';
import { z } from 'zod';
import type { Trx } from './db/group-commit.ts';
import type { Db } from './db/open.ts';
import { isNetwork } from './doors/access.ts';

export const SettingsSchema = z.object({
  /** The business's name, shown at the top. */
  workspace: z.string().max(80),
  zone: z.string().refine(isZone, 'This is not a time zone. Use a name such as Europe/London.'),
  country: z.string().regex(/^[A-Z]{2}$/, 'A country is two capital letters, such as GB.'),
  isPractice: z.boolean(),
  /** How new workflows are called: words in braces are filled in. */
  naming: z
    .string()
    .max(120)
    .refine(
      (scheme) =>
        [...scheme.matchAll(/\{(\w*)\}/g)].every(([, word]) =>
          (schemePlaceholders as readonly string[]).includes(word ?? ''),
        ),
      `Only ${schemePlaceholders.map((word) => `{${word}}`).join(', ')} can stand in braces.`,
    ),
  /** Whether calls may go to addresses inside the machine's own network. */
  mayCallInside: z.boolean().default(false),
  /** Hours for which a passing fault of an app is tried again by itself before it is a person's case. */
  retryHours: z.number().min(0).max(168).default(6),
  /** Days for which what a record held is kept after it ended. */
  keepDays: z.int().min(7).max(3650).default(90),
  /** The https address by which others reach the door, without a path; '' for this machine only. */
  publicAddress: z
    .string()
    .trim()
    .transform((text) => text.replace(/\/+$/, ''))
    .refine(
      (text) => text === '' || (/^https:\/\//i.test(text) && URL.canParse(text) && new URL(text).pathname === '/'),
      'The public address begins with https:// and is a host name, such as https://relay.example.com.',
    )
    .default(''),
  /** Addresses or networks of the proxies that pass on to the door; only what they say of a sender's address counts. */
  proxies: z
    .array(
      z.string().trim().refine(isNetwork, 'A proxy is an address such as 10.0.0.2, or a range such as 10.0.0.0/24.'),
    )
    .max(20)
    .default([]),
  /** What the business says of itself, for letters and records; its name is the workspace's. */
  business: BusinessSchema.default(emptyBusiness),
  /** The domain whose mails are handed over to the mail port; '' for this machine only. */
  mailDomain: z
    .string()
    .trim()
    .toLowerCase()
    .refine(
      (text) =>
        text === '' ||
        /^(?=.{4,253}$)(?:[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z][a-z0-9-]{0,61}[a-z0-9]$/.test(text),
      'A mail domain is what stands behind the @, such as in.clay.example.',
    )
    .default(''),
  /** How news goes out to people. */
  news: z
    .object({
      /** At most so many messages a day to one person, over all workflows: news above that waits; 0 for no limit. */
      mostADay: z.int().min(0).max(100).default(0),
      /** The calendar in whose hours it goes out; '' for any time. */
      calendar: z.string().max(80).default(''),
    })
    .default({ mostADay: 0, calendar: '' }),
  /** False until zone and country were taken from the first browser that opened the workspace. */
  isSetUp: z.boolean(),
});
export type Settings = z.infer<typeof SettingsSchema>;

/** A workspace that nobody has set up. */
export const defaultSettings: Settings = {
  workspace: '',
  zone: 'Europe/London',
  country: 'GB',
  isPractice: false,
  naming: defaultScheme,
  mayCallInside: false,
  retryHours: 6,
  keepDays: 90,
  publicAddress: '',
  proxies: [],
  business: emptyBusiness,
  mailDomain: '',
  news: { mostADay: 0, calendar: '' },
  isSetUp: false,
};

/** The workspace's settings; defaults where none were saved. */
export async function loadSettings(db: Db | Trx): Promise<Settings> {
  const row = await db.selectFrom('setting').select('value').where('name', '=', 'workspace').executeTakeFirst();
  return row ? settingsIn(row.value) : defaultSettings;
}

/** Settings as they were stored; what can't be read of them is as it is by default, and all else counts. */
function settingsIn(stored: string): Settings {
  let given: unknown;
  try {
    given = JSON.parse(stored);
  } catch {
    return { ...defaultSettings, isSetUp: true };
  }
  const whole = SettingsSchema.safeParse({ ...defaultSettings, isSetUp: true, ...(given as object) });
  if (whole.success) return whole.data;
  const readable = Object.entries(SettingsSchema.shape).flatMap(([name, schema]) => {
    const read = schema.safeParse((given as Record<string, unknown>)?.[name]);
    return read.success && read.data !== undefined ? [[name, read.data]] : [];
  });
  return { ...defaultSettings, isSetUp: true, ...Object.fromEntries(readable) };
}

/** What the business says of itself now, where a workflow uses it; undefined where it doesn’t. */
export async function businessFor(db: Db | Trx, content: WorkflowContent): Promise<JsonRecord | undefined> {
  if (!usesBusiness(content)) return undefined;
  const { workspace, business } = await loadSettings(db);
  return businessRecord(workspace, business);
}

/** Stores the workspace’s settings. */
export async function saveSettings(db: Db, settings: Settings): Promise<void> {
  await writeSetting(db, 'workspace', settings);
}

/** What is kept under a name; undefined where nothing is, or nothing of this kind. */
export async function readSetting<T>(db: Db | Trx, name: string, schema: z.ZodType<T>): Promise<T | undefined> {
  const row = await db.selectFrom('setting').select('value').where('name', '=', name).executeTakeFirst();
  if (!row) return undefined;
  try {
    const read = schema.safeParse(JSON.parse(row.value));
    return read.success ? read.data : undefined;
  } catch {
    return undefined;
  }
}

/** Keeps a value under a name; null takes it away. */
export async function writeSetting(db: Db, name: string, content: unknown): Promise<void> {
  if (content === null) {
    await db.deleteFrom('setting').where('name', '=', name).execute();
    return;
  }
  const value = JSON.stringify(content);
  await db
    .insertInto('setting')
    .values({ name, value })
    .onConflict((conflict) => conflict.column('name').doUpdateSet({ value }))
    .execute();
}
