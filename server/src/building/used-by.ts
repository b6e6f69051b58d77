import { connectionsOf, isPlaced, type Step } from '@golden/core';
import type { Workflows } from '../workflows.ts';

/** A workflow that uses a connection, and for what. */
export interface ConnectionUser {
  readonly id: string;
  readonly name: string;
  readonly isRead: boolean;
  readonly isWritten: boolean;
}

/** The workflows that use a connection, in their draft or live: the draft may be on its way elsewhere already. */
export async function usedBy(workflows: Workflows, connectionId: string): Promise<ConnectionUser[]> {
  const users: ConnectionUser[] = [];
  for (const { id, draft, liveVersion } of await workflows.list()) {
    const live = liveVersion === null ? undefined : await workflows.readableVersion(id, liveVersion);
    const using = [draft, ...(live ? [live.content] : [])].filter((content) =>
      connectionsOf(content).includes(connectionId),
    );
    if (using.length === 0) continue;
    users.push({
      id,
      name: draft.name,
      isRead: using.some(
        ({ start, steps }) =>
          start.source?.connection === connectionId || steps.some((step) => isWatched(step, connectionId)),
      ),
      isWritten: using.some(({ steps }) =>
        steps.some((step) => isPlaced(step) && step.target?.connection === connectionId),
      ),
    });
  }
  return users;
}

/** Whether a wait is ended by what comes there. */
const isWatched = (step: Step, connectionId: string): boolean =>
  step.kind === 'wait' && (step.endings ?? []).some(({ place }) => place?.connection === connectionId);
