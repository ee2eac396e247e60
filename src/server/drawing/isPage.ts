/** What is answered and not drawn: the doors, the interface for programs, and files. */
const NOT_DRAWN = /^\/(api|v1|v1development)(\/|$)|^\/casebook\/(read\/[^/]+|[^/]+\/hand-over\.html)\/?$/;

/** The path of the framework by which all pages come in: what they are made of is needed by the process alone that draws them. */
export const DRAWN_PATH = '/drawn';

/** Whether a request is for a page. @param path as `plainPath` gives it */
export function isPage(method: string, path: string): boolean {
  return (method === 'GET' || method === 'HEAD') && !NOT_DRAWN.test(path);
}
