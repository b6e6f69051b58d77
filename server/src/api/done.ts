/** The answer of what only does something. */
export const done = { ok: true } as const;
