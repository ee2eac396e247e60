import type { IncomingHttpHeaders } from 'node:http';

/** Paths that the framework would answer by itself: nothing of this application's asks for them. Files of the pages lie under one of their own. */
const OF_THE_FRAMEWORK = /^\/_(?!astro\/)/;

/** Whether a path is one that the framework adds, and that is not offered. @param path decoded or not */
export function isFrameworkPath(path: string): boolean {
  return OF_THE_FRAMEWORK.test(path);
}

/**
 * Whether a page of another site has a browser ask for this. What a person opens by a link is answered; what such a page fetches, embeds or
 * sends is not, since it would use up, or change, what it may not even read. Programs other than browsers do not say, and are answered.
 *
 * See https://www.w3.org/TR/fetch-metadata/
 */
export function isFromForeignPage(method: string, path: string, headers: IncomingHttpHeaders): boolean {
  const site = headers['sec-fetch-site'];
  if (site !== 'cross-site' && site !== 'same-site') return false;
  const isOpened = method === 'GET' && headers['sec-fetch-mode'] === 'navigate' && headers['sec-fetch-dest'] === 'document';
  // Pages are opened from chats and tickets; a question to the interface for programs, only by a person's own click.
  return !isOpened || (/^\/(api|v1)/.test(path) && headers['sec-fetch-user'] !== '?1');
}
