/** Browsers and Node have it alike (WHATWG URL); this part of the project knows neither's other names. */
declare const URL: { canParse(text: string): boolean; new (text: string): { protocol: string; hostname: string } };

/** True for an address that a person can be sent to: http or https, nothing that a browser would run or open otherwise. */
export function isWebAddress(text: unknown): text is string {
  if (typeof text !== 'string' || !URL.canParse(text)) return false;
  const { protocol, hostname } = new URL(text);
  return (protocol === 'https:' || protocol === 'http:') && hostname !== '';
}

/** The address where it can be a link; undefined where it can't. */
export const webAddress = (text: string | null | undefined): string | undefined =>
  isWebAddress(text) ? text : undefined;
