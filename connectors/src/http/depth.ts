/** Levels of nesting that no business record has; more would overflow what walks through a record. */
const mostLevels = 200;

/** True when a JSON text nests more deeply than any record does. Brackets within texts don't count. */
export function isTooDeep(json: string): boolean {
  let level = 0;
  let isInText = false;
  for (let at = 0; at < json.length; at++) {
    const code = json.charCodeAt(at);
    if (isInText) {
      if (code === backslash) at += 1;
      else if (code === quote) isInText = false;
    } else if (code === quote) isInText = true;
    else if (code === openBrace || code === openBracket) {
      level += 1;
      if (level > mostLevels) return true;
    } else if (code === closeBrace || code === closeBracket) level -= 1;
  }
  return false;
}

const [quote, backslash, openBracket, closeBracket, openBrace, closeBrace] = [34, 92, 91, 93, 123, 125];
