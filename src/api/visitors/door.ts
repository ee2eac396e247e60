import { Readable } from 'node:stream';
import { encodeLogsProtobuf } from '../../formats/otlp/record/encodeLogs.ts';
import { batchShape, eventsOf, LONGEST_BATCH } from '../../intake/visits/batch.ts';
import { VisitLimits } from '../../intake/visits/limits.ts';
import { type Site, sitesNow } from '../../intake/visits/sites.ts';
import { errorText } from '../../server/requests/errorText.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { receive } from '../otlp/receive.ts';

const limits = new VisitLimits();
/** Bodies that are read at a time, and how long one may take. */
const MOST_READ = 200;
const LONGEST_READ_MS = 10_000;
let reading = 0;

/**
 * The public door: what the snippet on a site's pages tells. It writes visits of that site, and answers nothing but that it did. Pages of
 * other origins are refused (https://fetch.spec.whatwg.org/#http-cors-protocol).
 *
 * @param incoming the request's body as it comes
 */
export async function receiveVisits(key: string, request: Request, incoming: Readable): Promise<Response> {
  let site: Site | undefined;
  try {
    site = (await sitesNow()).find((it) => it.key === key);
  } catch {
    return answer(503, {}, { 'retry-after': '5' });
  }
  if (!site) return answer(404);
  const cors = corsOf(site, request.headers.get('origin'));
  if (!cors) return answer(403);
  if (request.method === 'OPTIONS') return answer(204, { ...cors, ...PREFLIGHT });
  if (request.method !== 'POST') return answer(405, cors, { allow: 'POST, OPTIONS' });
  try {
    return await taken(site, request, incoming, cors);
  } catch (error) {
    console.error(errorText(error));
    return answer(500, cors);
  }
}

async function taken(
  site: Site,
  request: Request,
  incoming: Readable,
  cors: Readonly<Record<string, string>>,
): Promise<Response> {
  const type = request.headers.get('content-type')?.split(';')[0].trim().toLowerCase();
  if (type !== 'text/plain' && type !== 'application/json')
    return refused(415, 'send JSON as text/plain or application/json', cors);
  if (reading >= MOST_READ) return answer(503, cors, { 'retry-after': '5' });
  reading++;
  const text = await readBounded(incoming).finally(() => {
    reading--;
  });
  if (text === undefined) return refused(413, `the body is over ${LONGEST_BATCH} bytes, or took too long`, cors);
  const parsed = batchShape.safeParse(jsonOf(text));
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    return refused(400, `${issue.path.join('.')}: ${issue.message}`.slice(0, 300), cors);
  }
  const batch = parsed.data;
  const seconds = limits.take(site, currentRequest()?.address ?? '', batch.events.length, Date.now());
  if (seconds > 0) return answer(429, cors, { 'retry-after': String(seconds) });
  const events = eventsOf(site, batch, request.headers.get('user-agent') ?? '', Date.now());
  if (events.length === 0) return answer(204, cors);
  const body = Buffer.from(encodeLogsProtobuf(events));
  const stored = await receive(
    'logs',
    new Request(request.url, {
      method: 'POST',
      headers: { 'content-type': 'application/x-protobuf', 'content-length': String(body.length) },
    }),
    Readable.from([body]),
  );
  if (stored.ok) return answer(204, cors);
  return stored.status === 503
    ? answer(503, cors, { 'retry-after': stored.headers.get('retry-after') ?? '5' })
    : answer(stored.status, cors);
}

const PREFLIGHT = {
  'access-control-allow-methods': 'POST',
  'access-control-allow-headers': 'content-type',
  'access-control-max-age': '86400',
};

/** The headers for an origin that may tell; undefined for one that may not. A program that names none is no page, and is bound by limits alone. */
function corsOf({ origins }: Site, origin: string | null): Record<string, string> | undefined {
  if (origin === null) return {};
  const isAny = origins.includes('*');
  if (!isAny && !origins.includes(origin)) return undefined;
  return { 'access-control-allow-origin': isAny ? '*' : origin, 'access-control-expose-headers': 'retry-after', vary: 'origin' };
}

/** The text of a body; undefined for one that is too long or does not come. */
async function readBounded(incoming: Readable): Promise<string | undefined> {
  const parts: Buffer[] = [];
  let length = 0;
  const late = setTimeout(() => incoming.destroy(new Error('too slow')), LONGEST_READ_MS);
  try {
    for await (const part of incoming) {
      length += (part as Buffer).length;
      if (length > LONGEST_BATCH) return undefined;
      parts.push(part as Buffer);
    }
  } catch {
    return undefined;
  } finally {
    clearTimeout(late);
  }
  return Buffer.concat(parts).toString('utf8');
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function answer(
  status: number,
  cors: Readonly<Record<string, string>> = {},
  more: Readonly<Record<string, string>> = {},
): Response {
  return new Response(null, { status, headers: { ...cors, ...more, 'cache-control': 'no-store' } });
}

function refused(status: number, error: string, cors: Readonly<Record<string, string>>): Response {
  return new Response(JSON.stringify({ error }), {
    status,
    headers: { ...cors, 'content-type': 'application/json', 'cache-control': 'no-store' },
  });
}
