/** A host with or without a port, as browsers send it. */
const HOST = /^(?:[\w.-]+|\[[\da-f:.]+\])(?::\d{1,5})?$/i;

/** The address by which the application was reached, such as `http://lantern.example:4780`: what leads back to it begins with that. */
export function reachedAt({ request, url }: { readonly request: Request; readonly url: URL }): string {
  const host = request.headers.get('host') ?? '';
  return `${url.protocol}//${HOST.test(host) ? host : url.host}`;
}
