import { Changed, type Connector, NotThere } from '@golden/connectors';
import type { Target } from '@golden/core';
import { savingOf } from '../batch-writer.ts';
import type { EngineContext } from '../context.ts';

/** How often it is tried anew because somebody else saved the file. */
const mostTries = 5;

/** Makes places that are missing before the first record is written there, such as the tab of a new month. */
export class PlaceMakers {
  private readonly there = new Set<string>();

  constructor(private readonly context: EngineContext) {}

  /**
   * Makes the place of a write where it is missing and that was chosen.
   * @throws AppError when it can't be made
   */
  async make(connector: Connector, { connection, path, likeLast }: Target): Promise<void> {
    const { shape } = connector;
    const name = JSON.stringify([connection, path]);
    if (!likeLast || !shape?.addLikeLast || this.there.has(name)) return;
    // One at a time: the next finds what the one before has made.
    const release = await this.context.locks.take(savingOf(connection, path[0] ?? ''));
    try {
      if (this.there.has(name)) return;
      await this.madeNow(connector, path, likeLast);
      this.there.add(name);
    } finally {
      release();
    }
  }

  private async madeNow(connector: Connector, path: readonly string[], likeLast: readonly string[]): Promise<void> {
    for (let tries = 1; ; tries++) {
      try {
        await connector.describe(path);
        return;
      } catch (error) {
        if (!(error instanceof NotThere)) throw error;
      }
      try {
        await connector.shape?.addLikeLast?.(path, likeLast);
      } catch (error) {
        // Somebody saved the file meanwhile: looked at anew.
        if (!(error instanceof Changed) || tries >= mostTries) throw error;
      }
    }
  }
}
