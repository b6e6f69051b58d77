/** Levels of nesting that no business record has; more would overflow what walks through a record. */
export const mostLevels = 200;

/** How deeply a JSON text nests and how many values it holds, told without building them. */
export interface JsonShape {
  readonly levels: number;
  readonly values: number;
}

/**
 * Measures a JSON text. Brackets and commas within texts don't count. Stops where both measures can't
 * matter any more: beyond `mostLevels` levels or `mostValues` values.
 */
export function shapeOfJson(json: string, mostValues = Number.POSITIVE_INFINITY): JsonShape {
  let level = 0;
  let levels = 0;
  let values = 1;
  for (let at = 0; at < json.length; at++) {
    const code = json.charCodeAt(at);
    if (code === quote) at = endOfText(json, at);
    else if (code === openBrace || code === openBracket) {
      level += 1;
      values += 1;
      levels = Math.max(levels, level);
      if (levels > mostLevels) break;
    } else if (code === closeBrace || code === closeBracket) level -= 1;
    else if (code === comma) {
      values += 1;
      if (values > mostValues) break;
    }
  }
  return { levels, values };
}

/** True when a JSON text nests more deeply than any record does. */
export const isTooDeep = (json: string): boolean => shapeOfJson(json).levels > mostLevels;

/** Where a text that begins at a quotation mark ends; the end of all where it never does. */
function endOfText(json: string, from: number): number {
  for (let end = json.indexOf('"', from + 1); end >= 0; end = json.indexOf('"', end + 1)) {
    let slashes = 0;
    while (json.charCodeAt(end - 1 - slashes) === backslash) slashes += 1;
    if (slashes % 2 === 0) return end;
  }
  return json.length;
}

const [quote, backslash, openBracket, closeBracket, openBrace, closeBrace, comma] = [34, 92, 91, 93, 123, 125, 44];
