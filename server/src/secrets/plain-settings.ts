import type { App } from '@golden/connectors';

/** Settings without what only a sealed place may hold. */
export function plainSettings(
  { settings: asked }: App,
  given: Readonly<Record<string, string>>,
): Record<string, string> {
  const sealed = new Set(asked.flatMap(({ name, isSecret }) => (isSecret ? [name] : [])));
  return Object.fromEntries(Object.entries(given).filter(([name]) => !sealed.has(name)));
}
