import { connectionsOf, isPlaced, reachedBy, type Step } from '@golden/core';
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
  const reaches = (step: Step): boolean => reachedBy(step).some((place) => place?.connection === connectionId);
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
          start.source?.connection === connectionId || steps.some((step) => step.kind === 'wait' && reaches(step)),
      ),
      isWritten: using.some(({ steps }) => steps.some((step) => isPlaced(step) && reaches(step))),
    });
  }
  return users;
}
