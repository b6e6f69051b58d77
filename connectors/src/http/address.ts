import { Refused } from '../errors.ts';

/** A step up or a step in place, however it is written; a browser and a server would resolve it (RFC 3986 section 5.2.4). */
const dotSegment = /^(?:\.|%2e){1,2}$/i;

/**
 * An address below another one: scheme, host, port and the beginning of the path are the base's own,
 * whatever stands in the path. The two are joined as parts of a URL, never as text, in which `@` or
 * `//` would make another host of it.
 * @throws Refused where the path would lead out of the base by `..`
 */
export function addressBelow(base: URL, path: string, app: string): URL {
  const [, own = '', query = ''] = /^([^?#]*)(?:\?([^#]*))?/.exec(path) ?? [];
  if (own.split(/[/\\]/).some((part) => dotSegment.test(part)))
    throw new Refused(`${app}: “${own}” leads to a different address. Nothing was sent.`);
  const url = new URL(base);
  url.hash = '';
  url.pathname = `${base.pathname.replace(/\/$/, '')}/${own.replace(/^\//, '')}`;
  if (query !== '') url.search = [base.search.slice(1), query].filter(Boolean).join('&');
  return url;
}
