/** Files that desktop programs put beside a workbook while they have it open (common practice). */
export const lockFilesOf = (name: string): readonly string[] => [`.~lock.${name}#`, `~$${name}`];

/** What is said of such a file: it waits. */
export const openElsewhere = (name: string): string =>
  `“${name}” is open in another program. It is written once it is closed there.`;
