import type { FieldProblem, UnsettledCause } from '@golden/core';

/**
 * Why an outside app didn't do what it was asked. One class per reason a caller can act on; each
 * message is a sentence for the person whose records are waiting. No message holds a secret.
 */
export abstract class AppError extends Error {
  abstract readonly unsettledCause: UnsettledCause;
  /** True when the whole connection is out, not this one record. */
  readonly isConnectionBroken: boolean = false;
  /** True when asking again later may help. */
  readonly isPassing: boolean = false;
}

/** The key or token isn't accepted. */
export class NotSignedIn extends AppError {
  override readonly name = 'NotSignedIn';
  readonly unsettledCause = 'connection';
  override readonly isConnectionBroken = true;
}

/** Somebody else may be signed in than before: until a person has said so, nothing is read or written there. */
export class AccountUnclear extends AppError {
  override readonly name = 'AccountUnclear';
  readonly unsettledCause = 'connection';
  override readonly isConnectionBroken = true;
}

/** Signed in, but the right to do this is missing; other places of the app may still be open. */
export class NoRight extends AppError {
  override readonly name = 'NoRight';
  readonly unsettledCause = 'connection';
}

/** The app could not be reached; nothing was sent. */
export class AppDown extends AppError {
  override readonly name = 'AppDown';
  readonly unsettledCause = 'connection';
  override readonly isConnectionBroken = true;
  override readonly isPassing = true;
}

/** The address that was given is no web address; nothing was asked. */
export class BadAddress extends AppError {
  override readonly name = 'BadAddress';
  readonly unsettledCause = 'connection';
  override readonly isConnectionBroken = true;
}

/** The app asks to wait. Nothing was done. */
export class RateLimited extends AppError {
  override readonly name = 'RateLimited';
  readonly unsettledCause = 'connection';
  override readonly isPassing = true;
  constructor(
    message: string,
    /** How long the app asks to wait, in milliseconds; undefined when it doesn't say. */
    readonly retryAfter: number | undefined,
  ) {
    super(message);
  }
}

/** A place, file, tab or record isn't there. */
export class NotThere extends AppError {
  override readonly name = 'NotThere';
  readonly unsettledCause = 'drift';
}

/** The place isn't what the mapping was built on. */
export class Drifted extends AppError {
  override readonly name = 'Drifted';
  readonly unsettledCause = 'drift';
}

/** A file that another program keeps open. */
export class Locked extends AppError {
  override readonly name = 'Locked';
  readonly unsettledCause = 'connection';
  override readonly isPassing = true;
}

/** The app refused the record, in its own words. */
export class Refused extends AppError {
  override readonly name = 'Refused';
  readonly unsettledCause = 'refused';
  constructor(
    message: string,
    readonly fields: readonly FieldProblem[] = [],
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}

/** What was read before isn't there in that state any more; nothing was written. */
export class Changed extends AppError {
  override readonly name = 'Changed';
  readonly unsettledCause = 'refused';
}

/** The request left, and no usable answer came: it may have been done. */
export class Unsure extends AppError {
  override readonly name = 'Unsure';
  readonly unsettledCause = 'unsure';
  override readonly isPassing = true;
}

/** A question that changes nothing got no answer, or one that tells of a fault of the app's own. */
export class NoAnswer extends AppError {
  override readonly name = 'NoAnswer';
  readonly unsettledCause = 'connection';
  override readonly isPassing = true;
}

/** An answer that isn't what the app's description promises, such as a web page instead of data. */
export class NotUnderstood extends AppError {
  override readonly name = 'NotUnderstood';
  readonly unsettledCause = 'connection';
  override readonly isConnectionBroken = true;
  override readonly isPassing = true;
}
