/** "#0f5b50". */
const hexColour = /^#([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})$/i;

/**
 * Relative luminance of a colour of the sRGB space, from 0 (black) to 1 (white): WCAG 2.2, definition of “relative
 * luminance”. Undefined for what isn't written as #rrggbb.
 */
export function luminanceOf(colour: string): number | undefined {
  const found = hexColour.exec(colour);
  if (!found) return undefined;
  const [red = 0, green = 0, blue = 0] = found.slice(1).map((two) => {
    const share = Number.parseInt(two, 16) / 255;
    return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

/** Contrast of two colours, from 1 to 21: WCAG 2.2, definition of “contrast ratio”. Undefined where one can't be read. */
export function contrastOf(one: string, other: string): number | undefined {
  const [first, second] = [luminanceOf(one), luminanceOf(other)];
  if (first === undefined || second === undefined) return undefined;
  return (Math.max(first, second) + 0.05) / (Math.min(first, second) + 0.05);
}

/** What words need on their ground at least: WCAG 2.2, success criterion 1.4.3. */
export const leastContrast = 4.5;
