import { AppError, Changed, Refused } from '@golden/connectors';
import type { Answer } from '@golden/core';
import { type Connections, UnknownConnection } from '../connections.ts';
import { CannotUnseal } from '../secrets/sealing.ts';

/** Marks the connection when a fault means that the whole of it is out. */
export async function noteBroken(connections: Connections, connection: string, error: unknown): Promise<void> {
  if (error instanceof AppError && error.isConnectionBroken) {
    await connections.mark(connection, 'broken', error.message, null);
  }
}

/**
 * What a fault of an outside app means to the item: planned on something that isn't true any more,
 * or a reason for a person. Faults that aren't the app's are passed on.
 */
export function answerOf(error: unknown): Answer {
  if (error instanceof Changed) return { kind: 'stale' };
  if (error instanceof Refused)
    return { kind: 'refused', cause: 'refused', message: error.message, fields: error.fields };
  if (error instanceof AppError) return { kind: 'refused', cause: error.unsettledCause, message: error.message };
  if (error instanceof UnknownConnection || error instanceof CannotUnseal) {
    return { kind: 'refused', cause: 'connection', message: error.message };
  }
  throw error;
}
