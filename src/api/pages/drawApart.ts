import { draw, NotDrawn } from '../../server/drawing/drawing.ts';
import { currentRequest, ownerOf } from '../../server/requests/requestContext.ts';
import { answerPage, explain } from '../endpoint.ts';
import { endpointOf } from '../routes.ts';

/** Headers between the two processes alone. */
const OWN_HEADERS = new Set(['connection', 'keep-alive', 'transfer-encoding', 'date']);

interface Asked {
  readonly request: Request;
  readonly url: URL;
  readonly locals: App.Locals;
}

/** A page as the process draws it that does nothing else, so that the one that answers and takes in is held up by none. */
export async function drawApart({ request, url, locals }: Asked): Promise<Response> {
  const context = currentRequest();
  if (!context) throw new Error('a page is asked for outside of a request');
  try {
    const { status, headers, body } = await draw(
      {
        method: request.method,
        path: url.pathname + url.search,
        headers: Object.fromEntries(request.headers),
        handed: { who: locals.who, owner: ownerOf(context), isSecure: url.protocol === 'https:' },
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
