import type { Clock } from './clock.ts';
import type { Connector } from './connector.ts';
import type { OAuthApp, Tokens } from './http/tokens.ts';
import type { Reach } from './workbook/file-store.ts';

/** What a person is asked for to connect an app. */
export interface AppSetting {
  /** Under which it is stored; `key` is what signs us in, kept sealed. */
  readonly name: string;
  readonly isOptional?: boolean;
  readonly label: string;
  readonly hint?: string;
  readonly isSecret: boolean;
  readonly value?: string;
}

/** An app that can be connected. */
export interface App {
  readonly id: string;
  readonly title: string;
  /** What it holds, in a few words. */
  readonly holds: string;
  readonly settings: readonly AppSetting[];
  /** True when files, tabs and columns can be made from here. */
  readonly makesPlaces?: boolean;
  /** True when a person describes what is called there, because no description covers it. */
  readonly isCalled?: boolean;
  /** True for what the product itself keeps: nobody connects it. */
  readonly isInternal?: boolean;
  /** Present when a person signs in at the app itself; the scopes that are asked for reading, and for writing. */
  readonly signIn?: {
    readonly read: readonly string[];
    readonly write: readonly string[];
    app(address: string): OAuthApp;
  };
  /** Where it is: scheme, host and port of its address, or its folder; as it was given where that is no address. */
  originOf(settings: Readonly<Record<string, string>>): string;
  open(settings: Readonly<Record<string, string>>, options?: OpenOptions): Connector;
}

export interface OpenOptions {
  /** Milliseconds without an answer before a request is given up. */
  readonly timeout?: number;
  readonly retries?: number;
  readonly clock?: Clock;
  /** Keeps renewed tokens of a signed-in account. */
  readonly keepTokens?: (tokens: Tokens) => Promise<void>;
  /** Whether addresses inside the machine's own network may be called. */
  readonly mayCallInside?: () => Promise<boolean>;
  /** Named points around a file's replacement; for tests. */
  readonly reach?: Reach;
}

/** Addresses of practice apps, by the app's id. */
export type KnownAddresses = Readonly<Record<string, string>>;
