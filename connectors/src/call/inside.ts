import { lookup as dnsLookup } from 'node:dns';
import type { LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, buildConnector } from 'undici';
import { NoRight } from '../errors.ts';

/** True for an address inside the machine's own network: loopback, private, link-local and the like (RFC 6890). */
export function isInside(address: string): boolean {
  if (!ipaddr.isValid(address)) return false;
  // An IPv4 address written as IPv6 is the IPv4 address.
  return ipaddr.process(address).range() !== 'unicast';
}

/** A call to an address inside the machine's own network, which the owner hasn't allowed. */
export function insideRefused(host: string): NoRight {
  return new NoRight(`${host} is inside this machine’s own network. Such calls can be allowed in Settings.`);
}

/**
 * Looks names up and gives only addresses outside. The check stands where the connection is made, so
 * that a name can't answer differently a moment later.
 */
const lookupOutside: LookupFunction = (host, options, done) => {
  dnsLookup(host, { ...options, all: true }, (error, addresses) => {
    if (error) return done(error, '', 4);
    const outside = addresses.filter((one) => !isInside(one.address));
    const [first] = outside;
    if (!first) return done(insideRefused(host), '', 4);
    if ((options as { all?: boolean }).all)
      return (done as unknown as (error: null, all: typeof outside) => void)(null, outside);
    return done(null, first.address, first.family);
  });
};

const connectOutside = buildConnector({ timeout: 5000, lookup: lookupOutside });

/**
 * Connections that never go inside. What is judged is the address that is really connected to, each
 * time one is made, so that a redirect or a name can't lead around it.
 */
export const outsideAgent = new Agent({
  connections: 16,
  pipelining: 1,
  connect: (options, done) => {
    const host = options.hostname.replace(/^\[|\]$/g, '');
    if (isInside(host)) return done(insideRefused(host), null);
    connectOutside(options, (error, socket) => {
      if (error) return done(error, null);
      if (!isInside(socket.remoteAddress ?? '')) return done(null, socket);
      socket.destroy();
      done(insideRefused(host), null);
    });
  },
});

/** @throws NoRight for an address written in figures that lies inside */
export function refuseInside(url: URL): void {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isInside(host) || host === 'localhost') throw insideRefused(host);
}
