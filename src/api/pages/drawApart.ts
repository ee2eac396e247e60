import { draw, isDrawnApart, NotDrawn } from '../../server/drawing/drawing.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { answerPage, explain } from '../endpoint.ts';
import { endpointOf } from '../routes.ts';

/** What is answered here and not drawn: the doors, the interface for programs, and files. */
const NOT_DRAWN = /^\/(api|v1|v1development)\/|^\/casebook\/(read\/[^/]+|[^/]+\/hand-over\.html)\/?$/;

/** Headers between the two processes alone. */
const OWN_HEADERS = new Set(['connection', 'keep-alive', 'transfer-encoding', 'date']);

interface Asked {
  readonly request: Request;
  readonly url: URL;
  readonly locals: App.Locals;
}

/**
 * A page as the process draws it that does nothing else, so that the one that answers and takes in is held up by none; what is no page, and
 * pages where there is no such process, by `here`.
 */
export async function drawApart({ request, url, locals }: Asked, here: () => Promise<Response>): Promise<Response> {
  const context = currentRequest();
  const isPage = (request.method === 'GET' || request.method === 'HEAD') && !NOT_DRAWN.test(url.pathname);
  if (!context || context.handed || !isPage || !isDrawnApart()) return here();
  const { pathname, search } = new URL(request.url);
  try {
    const { status, headers, body } = await draw(
      {
        method: request.method,
        path: pathname + search,
        headers: Object.fromEntries(request.headers),
        handed: { who: locals.who, isSecure: url.protocol === 'https:' },
        left: context.left,
      },
      async (key, query) => {
        const it = endpointOf(key);
        return it ? answerPage(it, query) : { refused: { status: 500, message: `There is no ${key}.` } };
      },
    );
    const kept = new Headers();
    for (const [name, value] of Object.entries(headers))
      if (!OWN_HEADERS.has(name)) for (const one of [value].flat()) kept.append(name, String(one));
    return new Response(request.method === 'HEAD' || body.length === 0 ? null : body, { status, headers: kept });
  } catch (error) {
    const { status, message } = error instanceof NotDrawn ? { status: 503, message: notNow(error) } : explain(error);
    return new Response(`${message}\n`, {
      status,
      headers: { 'content-type': 'text/plain; charset=utf-8', ...(status === 503 ? { 'retry-after': '2' } : {}) },
    });
  }
}

function notNow({ message }: NotDrawn): string {
  return `This page cannot be drawn now: ${message}. Load it again in a few seconds.`;
}
