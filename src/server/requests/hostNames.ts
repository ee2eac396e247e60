import { isIP } from 'node:net';

const LOOPBACK_NAMES = /^(localhost|127(\.\d{1,3}){3}|\[::1\])$/i;

/** Whether an address to listen on is reached from this machine alone. */
export function isLoopback(host: string): boolean {
  return host === '::1' || LOOPBACK_NAMES.test(host);
}

/**
 * Whether the name by which a request asks for this application is one of its own. A page from elsewhere can point a name of its own here;
 * it cannot make an address, or a name that was given, its own.
 *
 * @param header the Host of the request, with or without a port
 */
export function isOwnName(header: string, host: string, names: readonly string[]): boolean {
  const name = header.replace(/:\d{1,5}$/, '').toLowerCase();
  if (LOOPBACK_NAMES.test(name) || names.includes(name)) return true;
  return !isLoopback(host) && isIP(name.replace(/^\[(.*)\]$/, '$1')) !== 0;
}

/** From where a request comes, and whether the way there is encrypted: what a proxy says of it counts only from one that was named. */
export function comesFrom(
  { remote, isEncrypted, forwardedFor, forwardedProto }: Coming,
  proxies: readonly string[],
): { readonly address: string; readonly isSecure: boolean } {
  if (!proxies.includes(plainAddress(remote))) return { address: remote, isSecure: isEncrypted };
  // The last is what the proxy itself saw; what stands before it came from outside.
  const last = forwardedFor?.split(',').at(-1)?.trim() ?? '';
  return { address: isIP(last) === 0 ? remote : last, isSecure: forwardedProto?.split(',').at(-1)?.trim() === 'https' };
}

interface Coming {
  readonly remote: string;
  readonly isEncrypted: boolean;
  readonly forwardedFor?: string;
  readonly forwardedProto?: string;
}

/** An IPv4 address as such, also where the socket gives it as one of IPv6. */
function plainAddress(address: string): string {
  return address.replace(/^::ffff:(?=\d+\.)/i, '');
}
