import { AppError, Changed, Refused } from '@golden/connectors';
import type { Answer } from '@golden/core';
import { type Connections, UnknownConnection } from '../connections.ts';
import { CannotUnseal } from '../secrets/sealing.ts';

/** Marks the connection when a fault means that the whole of it is out. */
export async function noteBroken(connections: Connections, connection: string, error: unknown): Promise<void> {
  const isOut = (error instanceof AppError && error.isConnectionBroken) || error instanceof CannotUnseal;
  if (isOut) await connections.mark(connection, 'broken', (error as Error).message, null);
}

/**
 * What a fault of an outside app means to the item: planned on something that isn't true any more,
 * or a reason for a person, in the app's own words without secrets. Faults that aren't the app's are
 * passed on.
 */
export function answerOf(connections: Connections, error: unknown): Answer {
  if (error instanceof Changed) return { kind: 'stale' };
  if (error instanceof Refused) {
    const fields = error.fields.map((field) => ({ ...field, message: connections.masked(field.message) }));
    return { kind: 'refused', cause: 'refused', message: connections.masked(error.message), fields };
  }
  if (error instanceof AppError)
    return { kind: 'refused', cause: error.unsettledCause, message: connections.masked(error.message) };
  if (error instanceof UnknownConnection || error instanceof CannotUnseal) {
    return { kind: 'refused', cause: 'connection', message: error.message };
  }
  throw error;
}
