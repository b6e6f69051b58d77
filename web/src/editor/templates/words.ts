const list = new Intl.ListFormat('en-GB', { type: 'conjunction' });

/** Names as they stand in a text: "{first name} and {kiln size}". */
export const bracesList = (names: readonly string[]): string => list.format(names.map((name) => `{${name}}`));
