import { runJob } from '../analysis/pool.ts';
import { LEAST } from '../core/accounts/role.ts';
import { withMarks } from '../core/scope/pathMarks.ts';
import { noteDone } from './accounts/noteDone.ts';
import { ApiError, type Asked, allowed, type Endpoint, endpointKey, errorAnswer, refuseBrokenText, respond } from './endpoint.ts';
import { ENDPOINTS, RAW_ENDPOINTS, type RawEndpoint } from './registry.ts';

type Answer = (asked: Asked) => Response | Promise<Response>;

/** A path, cut at its slashes: `{name}` matches any text. */
interface Route {
  readonly parts: readonly string[];
  /** By method. */
  readonly answers: Map<string, Answer>;
}

const ROUTES = new Map<string, Route>();

function addRoute(method: string, path: string, answer: Answer): void {
  const route = ROUTES.get(path) ?? { parts: path.split('/'), answers: new Map() };
  ROUTES.set(path, route);
  if (route.answers.has(method)) throw new Error(`two endpoints answer ${method} ${path}`);
  route.answers.set(method, answer);
}

// Nothing is answered that does not say for whom.
for (const { path, least } of [...ENDPOINTS, ...RAW_ENDPOINTS])
  if (!LEAST.includes(least)) throw new Error(`${path} does not say what one has to be at least to ask it`);
for (const it of ENDPOINTS) addRoute(it.method ?? 'GET', it.path, (asked) => respond(it, asked));
for (const it of RAW_ENDPOINTS) addRoute(it.method, it.path, (asked) => respondRaw(it, asked));

/** Answers by an endpoint that answers something else than JSON of a schema, those who may ask it. */
async function respondRaw({ method, path, least, audit, respond: answer }: RawEndpoint, asked: Asked): Promise<Response> {
  try {
    await allowed({ least });
    const about = { ...Object.fromEntries(asked.url.searchParams), ...asked.parameters };
    refuseBrokenText(about);
    const response = await answer(asked);
    if (audit && response.status < 400) {
      await noteDone(`${method} ${path}`, about, response.status);
    }
    return response;
  } catch (error) {
    return errorAnswer(error);
  }
}

addRoute('GET', '/api/openapi.json', async (asked) =>
  respondRaw(
    {
      method: 'GET',
      path: '/api/openapi.json',
      least: 'reader',
      description: {},
      respond: async () => new Response(await description(), { headers: { 'content-type': 'application/json' } }),
    },
    asked,
  ),
);

let described: Promise<string> | undefined;

/** The description of the interface as JSON: made once, and elsewhere, since that takes half a second. */
function description(): Promise<string> {
  described ??= runJob<string>('describe', []).catch((error: unknown) => {
    described = undefined;
    throw error;
  });
  return described;
}

const BY_KEY = new Map(ENDPOINTS.map((it) => [endpointKey(it), it]));

/** An endpoint by its method and path, as `endpointKey` writes them. */
export function endpointOf(key: string): Endpoint | undefined {
  return BY_KEY.get(key);
}

/** Answers a request to the interface for programs. */
export async function answerApi(asked: Omit<Asked, 'parameters'>): Promise<Response> {
  const found = routeOf(asked.url.pathname);
  if (!found)
    return errorAnswer(
      new ApiError(404, `There is no ${asked.url.pathname.slice(0, 200)}. See /api/openapi.json for what there is.`),
    );
  const { route, parameters } = found;
  const method = asked.request.method === 'HEAD' ? 'GET' : asked.request.method;
  const answer = route.answers.get(method);
  if (!answer) {
    const allowed = [...route.answers.keys()].join(', ');
    return new Response(JSON.stringify({ error: `${method.slice(0, 20)} is not answered here; use ${allowed}.` }), {
      status: 405,
      headers: { 'content-type': 'application/json; charset=utf-8', allow: allowed },
    });
  }
  return answer({ ...asked, parameters });
}

/** The route of a path and what stands in the place of its names. Names give way to texts: `/api/traces/points` is no trace's. */
function routeOf(path: string): { route: Route; parameters: Record<string, string> } | undefined {
  const parts = path.replace(/\/+$/, '').split('/');
  let best: { route: Route; parameters: Record<string, string> } | undefined;
  for (const route of ROUTES.values()) {
    const parameters = parametersOf(route.parts, parts);
    if (parameters && (!best || Object.keys(parameters).length < Object.keys(best.parameters).length))
      best = { route, parameters };
  }
  return best;
}

function parametersOf(wanted: readonly string[], parts: readonly string[]): Record<string, string> | undefined {
  if (wanted.length !== parts.length) return undefined;
  const parameters: Record<string, string> = {};
  for (const [at, part] of wanted.entries()) {
    const name = /^\{(\w+)\}$/.exec(part)?.[1];
    if (name === undefined) {
      if (part !== parts[at]) return undefined;
    } else if (parts[at] === '') return undefined;
    else parameters[name] = withMarks(decodeURIComponent(parts[at]));
  }
  return parameters;
}
