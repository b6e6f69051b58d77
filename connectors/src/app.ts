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
  /** Asked for only where one signs in by a key, or only where one signs in at the app itself. */
  readonly only?: 'key' | 'sign_in';
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
  /** True when its places are templates that a person gives: nothing is read from it. */
  readonly takesTemplates?: boolean;
  /** True when a person describes what is called there, because no description covers it. */
  readonly isCalled?: boolean;
  /** True for what the product itself keeps: nobody connects it. */
  readonly isInternal?: boolean;
  /** Present when a person can sign in at the app itself. */
  readonly signIn?: {
    /** The rights that are asked for. */
    scopes(settings: Readonly<Record<string, string>>, mayWrite: boolean): readonly string[];
    app(settings: Readonly<Record<string, string>>): OAuthApp;
    /** True where a key does as well. */
    readonly isOptional?: boolean;
    /** True where reading and writing are one right. */
    readonly isOneRight?: boolean;
  };
  /** Where it is: scheme, host and port of its address, or its folder; as it was given where that is no address. */
  originOf(settings: Readonly<Record<string, string>>): string;
  open(settings: Readonly<Record<string, string>>, options?: OpenOptions): Connector;
}

/** A file that goes along with a mail. */
export interface FileToAttach {
  readonly name: string;
  /** Its media type. */
  readonly type: string;
  readonly content: Uint8Array;
}

/** The files that can go along with mails, by their names. */
export interface Attachable {
  names(): Promise<readonly string[]>;
  /** Undefined where there is none of that name. */
  get(name: string): Promise<FileToAttach | undefined>;
  /** A document that was made for a record, by its id; undefined where there is none. */
  document?(id: string): Promise<FileToAttach | undefined>;
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
  /** Files that can go along with mails. */
  readonly attachable?: Attachable;
  /** Named points around a file's replacement; for tests. */
  readonly reach?: Reach;
}

/** Addresses of practice apps, by the app's id. */
export type KnownAddresses = Readonly<Record<string, string>>;
