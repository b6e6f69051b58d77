/**
 * A content as an earlier version stored it, brought to the form of today; anything else is given back
 * as it is. To be used wherever a stored or exported content is read, before it is parsed.
 *
 * Before 2026-12 a start had no trigger but only `everyMinutes`.
 */
export function ofToday(content: unknown): unknown {
  if (!isBag(content) || !isBag(content['start'])) return content;
  const { everyMinutes, ...start } = content['start'];
  if (everyMinutes === undefined || start['trigger'] !== undefined) return content;
  return { ...content, start: { ...start, trigger: { kind: 'every', minutes: everyMinutes } } };
}

const isBag = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
