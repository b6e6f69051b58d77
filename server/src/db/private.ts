import { chmodSync, existsSync } from 'node:fs';

/** Lets nobody but its owner read a file, with the files that SQLite keeps beside it; where that can't be said, it stays. */
export function keepPrivate(file: string): void {
  for (const one of [file, `${file}-wal`, `${file}-shm`]) {
    if (!existsSync(one)) continue;
    try {
      chmodSync(one, 0o600);
    } catch {
      // A file system without rights, or somebody else's file: what can be read there isn't ours to say.
    }
  }
}
