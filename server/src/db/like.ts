/** The pattern of SQL's LIKE for a text anywhere, its own signs taken as they are; goes with `ESCAPE '\'`. */
export const likeAnywhere = (text: string): string => `%${text.replaceAll(/[\\%_]/g, (one) => `\\${one}`)}%`;
