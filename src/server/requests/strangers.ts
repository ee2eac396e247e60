import type { IncomingHttpHeaders } from 'node:http';

/** The path of an address as it is understood in the end, however it is written: decoded, without dots and empty parts. */
export function plainPath(address: string): string {
  try {
    const { pathname } = new URL(address.startsWith('/') ? `http://host${address}` : address, 'http://host');
    return decodeURIComponent(pathname).replace(/\/{2,}/g, '/');
  } catch {
    return address;
  }
}

/** Paths that the web framework answers by itself. This application uses none of them but the one of its files. */
const OF_THE_FRAMEWORK = /^\/_(?!astro\/)/;

/** Whether a path is one that the framework adds, and that is not offered. @param path as `plainPath` gives it */
export function isFrameworkPath(path: string): boolean {
  return OF_THE_FRAMEWORK.test(path);
}

/** What pages of other sites are meant to ask for: the snippet that they include, and the door that it tells to, which sees to itself. */
const FOR_OTHER_PAGES = /^\/(visits\.js|v1\/visits\/[\w-]{8,64})$/;

/** Where the provider that people sign in with sends their browsers back to. */
const SIGN_IN_RETURN = '/api/account/callback/company';

/**
 * Whether a page of another site has a browser ask for this. What a person opens by a link is answered; what such a page fetches, embeds or
 * sends is not, since it would use up, or change, what it may not even read. Programs other than browsers do not say, and are answered.
 *
 * @param path as `plainPath` gives it. See https://www.w3.org/TR/fetch-metadata/
 */
export function isFromForeignPage(method: string, path: string, headers: IncomingHttpHeaders): boolean {
  const site = headers['sec-fetch-site'];
  if ((site !== 'cross-site' && site !== 'same-site') || FOR_OTHER_PAGES.test(path)) return false;
  const isOpened = method === 'GET' && headers['sec-fetch-mode'] === 'navigate' && headers['sec-fetch-dest'] === 'document';
  // Pages are opened from chats and tickets; a question to the interface for programs, only by a person's own click.
  return !isOpened || (path !== SIGN_IN_RETURN && /^\/(api|v1)/.test(path) && headers['sec-fetch-user'] !== '?1');
}

/**
 * Whether a change is asked for by a page of another origin. Browsers say the origin with each change; those that do not are old, and their
 * cookies do not go along from other sites.
 *
 * @param ownHosts hosts by which this application is reached, with their ports
 */
export function isForeignOrigin(method: string, path: string, origin: string | undefined, ownHosts: readonly string[]): boolean {
  if (origin === undefined || method === 'GET' || method === 'HEAD' || FOR_OTHER_PAGES.test(path)) return false;
  try {
    return !ownHosts.includes(new URL(origin).host);
  } catch {
    return true;
  }
}
