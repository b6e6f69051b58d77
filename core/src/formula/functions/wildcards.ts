import { RE2JS } from 're2js';

/** A pattern of plain text in which `?` is one character and `*` any; `~` before them takes them as they are. */
export interface Wildcards {
  /** Whether all of the text is like the pattern (case ignored). */
  matches(text: string): boolean;
  /** Where the first match begins, in UTF-16 units; -1 for none. */
  find(text: string): number;
}

const known = new Map<string, Wildcards>();

/** Compiles wildcards to a linear-time expression; `whole` anchors it at both ends. */
export function wildcards(pattern: string, whole: boolean): Wildcards {
  const key = `${whole}${pattern}`;
  const made = known.get(key);
  if (made) return made;
  const source = pattern.replace(/~[?*~]|[?*]|[^?*~]+|~/g, (part) => {
    if (part === '?') return '.';
    if (part === '*') return '.*';
    return RE2JS.quote(part.startsWith('~') && part.length === 2 ? part.slice(1) : part);
  });
  const expression = RE2JS.compile(whole ? `^(?:${source})$` : source, RE2JS.CASE_INSENSITIVE | RE2JS.DOTALL);
  const compiled: Wildcards = {
    matches: (text) => expression.matcher(text).find(),
    find: (text) => {
      const matcher = expression.matcher(text);
      return matcher.find() ? matcher.start() : -1;
    },
  };
  if (known.size > 500) known.clear();
  known.set(key, compiled);
  return compiled;
}
