import type { APIContext, APIRoute } from 'astro';
import type { z } from 'zod';
import { isDatabaseUnavailable } from '../store/database/connection.ts';

/** One question the application answers: what may be asked, what comes back, and who works it out. */
export interface Endpoint<Query extends z.ZodObject, Answer extends z.ZodType> {
  /** With `{name}` where a path parameter stands; those are part of `query`. */
  readonly path: string;
  readonly summary: string;
  readonly query: Query;
  readonly answer: Answer;
  /** The HTTP status of an answer, 200 unless told. */
  readonly status?: (answer: z.output<Answer>) => number;
  readonly run: (query: z.output<Query>) => Promise<z.input<Answer>>;
}

/** An answer that is an error the asker can understand. */
export class ApiError extends Error {
  readonly status: 400 | 404;

  constructor(status: 400 | 404, message: string) {
    super(message);
    this.status = status;
  }
}

export function endpoint<Query extends z.ZodObject, Answer extends z.ZodType>(
  it: Endpoint<Query, Answer>,
): Endpoint<Query, Answer> {
  return it;
}

/** Asks an endpoint from the server itself, with a query as text, as a page does for its first data. */
export async function ask<Query extends z.ZodObject, Answer extends z.ZodType>(
  it: Endpoint<Query, Answer>,
  query: Record<string, unknown>,
): Promise<z.output<Answer>> {
  const parsed = it.query.safeParse(query);
  if (!parsed.success) throw new ApiError(400, readable(parsed.error));
  return it.answer.parse(await it.run(parsed.data));
}

/** A part of a path as it was meant: a route is given it decoded but for the marks that have a meaning in addresses. */
export function pathParameter(text: string): string {
  return text.replace(/%(?:2[346BCF]|3[ABDF]|40)/gi, decodeURIComponent);
}

function pathParameters(params: APIContext['params']): Record<string, string> {
  return Object.fromEntries(Object.entries(params).map(([name, text]) => [name, pathParameter(text ?? '')]));
}

/** Binds an endpoint to a route: reads query and path, answers JSON. */
export function bind<Query extends z.ZodObject, Answer extends z.ZodType>(it: Endpoint<Query, Answer>): APIRoute {
  return async (context: APIContext) => {
    try {
      const answer = await ask(it, { ...Object.fromEntries(context.url.searchParams), ...pathParameters(context.params) });
      return json(it.status?.(answer) ?? 200, answer);
    } catch (error) {
      return errorAnswer(error);
    }
  };
}

/** The longest body of a change, in characters. */
const LONGEST_BODY = 262_144;

/** Binds an endpoint that takes its query as a JSON body, as one does that changes something. */
export function bindBody<Query extends z.ZodObject, Answer extends z.ZodType>(
  it: Endpoint<Query, Answer>,
  longest = LONGEST_BODY,
): APIRoute {
  return async ({ request, params }) => {
    try {
      return json(200, await ask(it, { ...(await readJson(request, longest)), ...pathParameters(params) }));
    } catch (error) {
      return errorAnswer(error);
    }
  };
}

async function readJson(request: Request, longest: number): Promise<Record<string, unknown>> {
  // A page from elsewhere cannot send this type without asking first, and is not answered.
  if (request.headers.get('content-type')?.split(';')[0].trim().toLowerCase() !== 'application/json')
    throw new ApiError(400, 'the body must be application/json');
  const text = await request.text();
  if (text.length > longest) throw new ApiError(400, `the body is over ${longest} characters`);
  try {
    const body: unknown = JSON.parse(text);
    if (typeof body === 'object' && body !== null && !Array.isArray(body)) return body as Record<string, unknown>;
  } catch {
    // Told below, in the same words.
  }
  throw new ApiError(400, 'the body is not a JSON object');
}

/** What went wrong, in words for whoever asked. */
export function explain(error: unknown): { status: number; message: string } {
  if (error instanceof ApiError) return { status: error.status, message: error.message };
  if (isDatabaseUnavailable(error))
    return { status: 503, message: 'The store cannot be reached now. It may be starting; try again shortly.' };
  console.error(error);
  return { status: 500, message: 'The answer could not be worked out. The log of the application says why.' };
}

function errorAnswer(error: unknown): Response {
  const { status, message } = explain(error);
  return json(status, { error: message }, status === 503 ? { 'retry-after': '2' } : {});
}

function json(status: number, body: unknown, headers: Record<string, string> = {}): Response {
  return new Response(JSON.stringify(body), {
    status,
    headers: { 'content-type': 'application/json; charset=utf-8', 'cache-control': 'no-store', ...headers },
  });
}

function readable(error: z.ZodError): string {
  return error.issues
    .map((issue) => (issue.path.length > 0 ? `${issue.path.join('.')}: ${issue.message}` : issue.message))
    .join('; ');
}
