/** Files that desktop programs put beside a file, given by its way, while they have it open (common practice). */
export function lockFilesOf(path: string): readonly string[] {
  const at = path.lastIndexOf('/') + 1;
  const [folder, name] = [path.slice(0, at), path.slice(at)];
  return [`${folder}.~lock.${name}#`, `${folder}~$${name}`];
}

/** What is said of such a file: it waits. */
export const openElsewhere = (name: string): string =>
  `“${name}” is open in another program. It is written once it is closed there.`;
