/** Browsers and Node have it alike (WHATWG URL); this part of the project knows neither's other names. */
declare const URL: {
  canParse(text: string): boolean;
  new (
    text: string,
  ): {
    readonly protocol: string;
    readonly hostname: string;
    readonly pathname: string;
    readonly hash: string;
    readonly searchParams: Iterable<[string, string]>;
  };
};

/** True for an address that a person can be sent to: http or https, nothing that a browser would run or open otherwise. */
export function isWebAddress(text: unknown): text is string {
  if (typeof text !== 'string' || !URL.canParse(text)) return false;
  const { protocol, hostname } = new URL(text);
  return (protocol === 'https:' || protocol === 'http:') && hostname !== '';
}

/** The address where it can be a link; undefined where it can't. */
export const webAddress = (text: string | null | undefined): string | undefined =>
  isWebAddress(text) ? text : undefined;

/**
 * The parts of a link in which the id of what it leads to may stand, decoded: the last part of its path first (common
 * practice), then the values of its query, then what stands behind the #. None for what is no link.
 */
export function linkParts(link: string): string[] {
  const text = link.trim();
  if (!isWebAddress(text)) return [];
  const url = new URL(text);
  const decode = (part: string): string => {
    try {
      return decodeURIComponent(part);
    } catch {
      return part;
    }
  };
  const segments = url.pathname.split('/').filter(Boolean).map(decode).reverse();
  const values = [...url.searchParams].map(([, value]) => value);
  return [...segments, ...values, decode(url.hash.slice(1))].filter(Boolean);
}
