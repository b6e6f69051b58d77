/** An instant so many minutes after another (UTC, ISO 8601). */
export const minutesLater = (instant: string, minutes: number): string =>
  new Date(Date.parse(instant) + minutes * 60_000).toISOString();
