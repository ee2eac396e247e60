import type { z } from 'zod';
import { isAnalysisProcess, JobLost, PoolBusy, runJob } from '../analysis/pool.ts';
import { isAtLeast, isAtLeastSomewhere, type Least, roleIn } from '../core/accounts/role.ts';
import { windowFault } from '../core/scope/windowLimit.ts';
import { areAccountsOn } from '../server/accounts/accountsOn.ts';
import { askBack } from '../server/drawing/askBack.ts';
import type { PageAnswer } from '../server/drawing/messages.ts';
import { errorText } from '../server/requests/errorText.ts';
import { forgetQuestion, noteQuestion } from '../server/requests/questions.ts';
import { currentRequest, ownerOf, type Who, whoAsks } from '../server/requests/requestContext.ts';
import { currentTraceparent } from '../server/selfTrace.ts';
import { NotPossible } from '../store/accounts/notPossible.ts';
import { isBrokenOff, isDatabaseUnavailable } from '../store/database/connection.ts';
import { withLeftOut } from '../store/scope/leftOut.ts';
import { withProgress } from '../store/scope/progress.ts';
import { noteDone } from './accounts/noteDone.ts';
import { noteRaw } from './accounts/noteRaw.ts';
import type { Answered } from './answered.ts';
import { brokenTextIn } from './brokenText.ts';
import { remembered } from './rememberedAnswers.ts';

/** One question the application answers: what may be asked, what comes back, and who works it out. */
export interface Endpoint<Query extends z.ZodObject = z.ZodObject, Answer extends z.ZodType = z.ZodType> {
  /** GET by default. Others take the query as a JSON body. */
  readonly method?: 'GET' | 'PUT' | 'POST';
  /** With `{name}` where a path parameter stands; those are part of `query`. */
  readonly path: string;
  /** What one has to be at least to ask it. */
  readonly least: Least;
  /** The environments of what it is done to; empty for none. Who has a role there has that one in the place of their general one. */
  readonly environmentOf?: (query: z.output<Query>) => string | readonly string[] | Promise<string>;
  readonly summary: string;
  readonly query: Query;
  readonly answer: Answer;
  /** The HTTP status of an answer, 200 by default. */
  readonly status?: (answer: z.output<Answer>) => number;
  /** `analysis`: in a process of the pool, since it goes through many requests; else in the process that answers. */
  readonly runs?: 'analysis';
  /** What tells questions apart whose answers are the same, and for how many milliseconds they are; undefined for one to work out anew. */
  readonly remember?: (query: z.output<Query>) => Promise<{ readonly key: string; readonly ms: number } | undefined>;
  /** The longest body, in bytes; 256 KiB by default. */
  readonly longestBody?: number;
  /** Records that it shows as they were sent, in words, and their environments: of some it is written down who looks. */
  readonly raw?: { readonly what: string; readonly of: (answer: z.output<Answer>) => readonly string[] };
  /** Whether it is written down who asked it: by default what changes something for others, see `isAudited`. */
  readonly audit?: boolean;
  readonly run: (query: z.output<Query>, context: RunContext) => Promise<z.input<Answer>>;
}

export interface RunContext {
  /** Aborted when nobody waits for the answer any more. */
  readonly signal?: AbortSignal;
  /** Is told how far the answer is. */
  readonly progress?: (done: number, of: number) => void;
}

type Refusal = 400 | 401 | 403 | 404 | 409 | 429;

/** An answer that is an error the asker can understand. */
export class ApiError extends Error {
  readonly status: Refusal;

  constructor(status: Refusal, message: string) {
    super(message);
    this.status = status;
  }
}

export function endpoint<Query extends z.ZodObject, Answer extends z.ZodType>(
  it: Endpoint<Query, Answer>,
): Endpoint<Query, Answer> {
  return it;
}

/** What tells endpoints apart. */
export function endpointKey({ method = 'GET', path }: Pick<Endpoint, 'method' | 'path'>): string {
  return `${method} ${path}`;
}

/** What a process of the pool sends back: errors lose what they are on the way, so each kind is named in the result. */
export type JobAnswer =
  | Answered
  | { readonly refused: { readonly status: Refusal; readonly message: string } }
  | { readonly databaseUnavailable: true }
  | { readonly brokenOff: true };

/** The database could not be reached by the process that worked on the question. */
class DatabaseUnavailable extends Error {}

/** The store gave up over a question. */
class BrokenOff extends Error {}

/** What the process that answers said of a question that it could not answer, for a page that is drawn by another. */
class NotAnswered extends Error {
  readonly status: number;

  constructor(status: number, message: string) {
    super(message);
    this.status = status;
  }
}

/** Answers an endpoint's question. @param query as it came: texts, or the members of a JSON body */
export async function answerTo(it: Endpoint, query: Record<string, unknown>, context: RunContext = {}): Promise<Answered> {
  const page = currentRequest()?.handed?.page;
  if (page !== undefined) return answeredBack(it, page, query);
  const who = isAnalysisProcess ? undefined : await allowed(it);
  const answered = await workedOut(it, query, context, who);
  const { raw } = it;
  if (raw && who) await noteRaw(`looked at ${raw.what}`, query, () => raw.of(JSON.parse(answered.json)), who);
  return answered;
}

/** The answer to a question of a page that is drawn here, by the process that answers. */
async function answeredBack(it: Endpoint, page: number, query: Record<string, unknown>): Promise<Answered> {
  const answer = await askBack<Answered>(page, endpointKey(it), query);
  if ('answered' in answer) return answer.answered;
  const { status, message } = answer.refused;
  throw status < 500 ? new ApiError(status as Refusal, message) : new NotAnswered(status, message);
}

/** Answers a question of a page that is drawn by another process. */
export async function answerPage(it: Endpoint, query: Record<string, unknown>): Promise<PageAnswer<Answered>> {
  try {
    return { answered: await answerTo(it, query) };
  } catch (error) {
    return { refused: explain(error) };
  }
}

async function workedOut(
  it: Endpoint,
  query: Record<string, unknown>,
  context: RunContext,
  who: Who | undefined,
): Promise<Answered> {
  // What is written is of the one who asks, whatever name comes with it.
  const asked = who && who.name !== '' && 'by' in it.query.shape ? { ...query, by: who.name } : query;
  const parsed = it.query.safeParse(asked);
  if (!parsed.success) throw new ApiError(400, readable(parsed.error));
  refuseBrokenText(parsed.data);
  refuseWindow(parsed.data);
  if (who && it.environmentOf)
    for (const environment of [await it.environmentOf(parsed.data)].flat()) refuseIn(environment, it.least, who);
  if (it.runs === 'analysis' && !isAnalysisProcess) {
    const known = await it.remember?.(parsed.data);
    const signal = context.signal ?? currentRequest()?.left;
    const work = (given?: AbortSignal) => answerElsewhere(it, asked, given);
    return known ? remembered(`${endpointKey(it)} ${known.key}`, known.ms, work, signal) : work(signal);
  }
  const { result, leftOut } = await withProgress(context.progress, () => withLeftOut(() => it.run(parsed.data, context)));
  const answer = it.answer.parse(result);
  return { json: JSON.stringify(answer), status: it.status?.(answer) ?? 200, leftOut };
}

/** @throws ApiError for what holds a text that no store takes */
export function refuseBrokenText(asked: Readonly<Record<string, unknown>>): void {
  const broken = brokenTextIn(asked);
  if (broken !== undefined)
    throw new ApiError(400, `${printable(broken)}: holds what is no character, U+0000 or half of a pair; leave it out`);
}

/** A name that anybody may have sent, to be repeated in a sentence. */
function printable(name: string): string {
  return name.replace(/\p{C}/gu, '?').slice(0, 60);
}

/**
 * Who asks, when they may. What the application asks for itself is allowed.
 *
 * @throws ApiError for somebody who is not signed in, or whose role is not enough; where it depends on the environment, in all of them
 */
export async function allowed({ least, environmentOf }: Pick<Endpoint, 'least' | 'environmentOf'>): Promise<Who | undefined> {
  const context = currentRequest();
  if (!context || least === 'anyone') return undefined;
  if (least === 'sender') {
    if (context.isAdmitted || !areAccountsOn()) return undefined;
    throw new ApiError(401, 'Send a token of this sender: Authorization: Bearer dls_…');
  }
  const who = await whoAsks(context);
  if (isAtLeast(who?.role, least) || (who && environmentOf && isAtLeastSomewhere(who, least))) return who;
  if (!who) throw new ApiError(401, 'Sign in first, or send a token: Authorization: Bearer …');
  throw new ApiError(403, `This asks for the role ${least}; you are ${who.role}.`);
}

/** @throws ApiError when the role that somebody has in an environment is not enough */
function refuseIn(environment: string, least: Least, who: Who): void {
  const role = roleIn(who, environment);
  if (isAtLeast(role, least)) return;
  const where = environment === '' ? '' : ` in ${environment.slice(0, 100)}`;
  throw new ApiError(403, `This asks for the role ${least}${where}; you are ${role}${where && ' there'}.`);
}

/** Every window is asked for by the same two names. @throws ApiError for one that ends before it begins, or is too long */
function refuseWindow({ from, to }: Record<string, unknown>): void {
  const fault = typeof from === 'bigint' && typeof to === 'bigint' ? windowFault(from, to) : undefined;
  if (fault) throw new ApiError(400, fault);
}

/** Has a process of the pool answer. @param query what was asked; or a body as it came, to be opened there */
async function answerElsewhere(it: Endpoint, query: Record<string, unknown> | string, signal?: AbortSignal): Promise<Answered> {
  const request = currentRequest();
  const question = request?.question;
  const found = await runJob<JobAnswer>('answer', [endpointKey(it), query, currentTraceparent()], {
    signal,
    owner: request && ownerOf(request),
    onProgress: (done) => noteQuestion(question, done),
  }).finally(() => forgetQuestion(question));
  if ('refused' in found) throw new ApiError(found.refused.status, found.refused.message);
  if ('brokenOff' in found) throw new BrokenOff();
  if ('databaseUnavailable' in found) throw new DatabaseUnavailable('the database cannot be reached');
  return found;
}

/** The same as `answerTo` for a process of the pool, in words that survive the way back. */
export async function jobAnswer(it: Endpoint, query: Record<string, unknown> | string, context: RunContext): Promise<JobAnswer> {
  try {
    return await answerTo(it, typeof query === 'string' ? jsonObject(query) : query, context);
  } catch (error) {
    if (error instanceof ApiError) return { refused: { status: error.status, message: error.message } };
    if (isBrokenOff(error)) return { brokenOff: true };
    if (isDatabaseUnavailable(error)) return { databaseUnavailable: true };
    throw error;
  }
}

/** Asks an endpoint from the server itself, with a query as text, as a page does for its first data. */
export async function ask<Query extends z.ZodObject, Answer extends z.ZodType>(
  it: Endpoint<Query, Answer>,
  query: Record<string, unknown>,
): Promise<z.output<Answer>> {
  const { json } = await answerTo(it as unknown as Endpoint, query);
  return JSON.parse(json) as z.output<Answer>;
}

/** Starts to work out an answer that will probably be asked for soon. If it fails, the one who asks is told; perhaps nobody asks. */
export function prepare(it: Endpoint, query: Record<string, unknown>): void {
  answerTo(it, query).catch(() => {});
}

/** The header that says what an answer leaves out, as JSON of `LeftOut`; absent when it leaves out nothing. */
const LEFT_OUT_HEADER = 'lantern-left-out';

const LONGEST_BODY = 262_144;
/** Bytes of all bodies that are held at a time. */
const MOST_HELD = 96 * 2 ** 20;
let held = 0;

/** What a request holds of it. */
interface Room {
  bytes: number;
}

/** What of a request an endpoint needs. */
export interface Asked {
  readonly request: Request;
  readonly url: URL;
  /** Parts of the path, decoded. */
  readonly parameters: Readonly<Record<string, string>>;
}

/** Answers a request by an endpoint: reads query, path and body, answers JSON. */
export async function respond(it: Endpoint, { request, url, parameters }: Asked): Promise<Response> {
  const room: Room = { bytes: 0 };
  let body: Record<string, unknown> = {};
  try {
    await allowed(it);
    // What may be long is not opened in the process that answers.
    const isOpenedElsewhere = it.longestBody !== undefined && it.runs === 'analysis';
    const { json, status, leftOut } = isOpenedElsewhere
      ? await answerElsewhere(it, await readBody(request, it.longestBody ?? LONGEST_BODY, room), currentRequest()?.left)
      : await askedOf(it, request, url, room).then((asked) => {
          body = asked;
          return answerTo(it, { ...asked, ...parameters }, { signal: currentRequest()?.left });
        });
    if (isAudited(it)) await noteDone(endpointKey(it), { ...body, ...parameters }, status);
    const isWhole = leftOut.unread === 0 && leftOut.building === 0;
    return jsonResponse(status, json, isWhole ? {} : { [LEFT_OUT_HEADER]: JSON.stringify(leftOut) });
  } catch (error) {
    // Who tried what they may not is worth knowing; an answer is given all the same.
    if (isAudited(it) && error instanceof ApiError && error.status === 403)
      await noteDone(endpointKey(it), parameters, 403).catch((failure) => console.error(errorText(failure)));
    return errorAnswer(error);
  } finally {
    held -= room.bytes;
  }
}

/** Whether it is written down who asked: what changes something that others see is, unless the endpoint says otherwise. */
export function isAudited({ method = 'GET', least, audit }: Endpoint): boolean {
  return audit ?? (method !== 'GET' && isAtLeast('administrator', least) && !isAtLeast('reader', least));
}

async function askedOf(it: Endpoint, request: Request, url: URL, room: Room): Promise<Record<string, unknown>> {
  if ((it.method ?? 'GET') === 'GET') return Object.fromEntries(url.searchParams);
  return jsonObject(await readBody(request, it.longestBody ?? LONGEST_BODY, room));
}

/** The text of a JSON body. */
async function readBody(request: Request, longest: number, room: Room): Promise<string> {
  // A page from elsewhere cannot send this type without asking first, and is not answered.
  if (request.headers.get('content-type')?.split(';')[0].trim().toLowerCase() !== 'application/json')
    throw new ApiError(400, 'the body must be application/json');
  return readText(request, longest, room);
}

/** @throws ApiError for a text that is no JSON object */
function jsonObject(text: string): Record<string, unknown> {
  try {
    const body: unknown = JSON.parse(text);
    if (typeof body === 'object' && body !== null && !Array.isArray(body)) return body as Record<string, unknown>;
  } catch {
    // Said below, in the same words.
  }
  throw new ApiError(400, 'the body is not a JSON object');
}

/** The text of a body. It is counted while it is read: one that is too long is never held whole. */
async function readText(request: Request, longest: number, room: Room): Promise<string> {
  const parts: Uint8Array[] = [];
  let length = 0;
  const reader = request.body?.getReader();
  for (let part = await reader?.read(); part?.value; part = await reader?.read()) {
    length += part.value.length;
    if (length > longest) {
      // What still comes is not read; the connection closes with the answer.
      reader?.releaseLock();
      throw new ApiError(400, `the body is over ${longest} bytes`);
    }
    room.bytes += part.value.length;
    held += part.value.length;
    if (held > MOST_HELD) {
      reader?.releaseLock();
      throw new PoolBusy('more has come than can be held');
    }
    parts.push(part.value);
  }
  return Buffer.concat(parts).toString('utf8');
}

/** What went wrong, in words for the client. */
export function explain(error: unknown): { status: number; message: string } {
  if (error instanceof ApiError || error instanceof NotAnswered) return { status: error.status, message: error.message };
  if (error instanceof NotPossible) return { status: 409, message: error.message };
  if (error instanceof DOMException && error.name === 'AbortError')
    return { status: 499, message: 'The question was withdrawn.' };
  if (error instanceof PoolBusy) return { status: 503, message: 'Too many questions at once. Try again in a few seconds.' };
  if (error instanceof BrokenOff || isBrokenOff(error))
    return { status: 503, message: 'The store took too long over this. Narrow the window or the chips, or try again.' };
  if (error instanceof DatabaseUnavailable || isDatabaseUnavailable(error))
    return { status: 503, message: 'The database cannot be reached. It may be starting; try again in a few seconds.' };
  console.error(errorText(error));
  if (error instanceof JobLost)
    return { status: 503, message: `No answer: ${error.message}. Narrow the window or the chips, or try again.` };
  return { status: 500, message: 'The answer could not be computed. The log of the application says why.' };
}

export function errorAnswer(error: unknown): Response {
  const { status, message } = explain(error);
  return jsonResponse(status, JSON.stringify({ error: message }), status === 503 ? { 'retry-after': '2' } : {});
}

function jsonResponse(status: number, json: string, headers: Record<string, string> = {}): Response {
  return new Response(json, {
    status,
    headers: { 'content-type': 'application/json; charset=utf-8', 'cache-control': 'no-store', ...headers },
  });
}

function readable(error: z.ZodError): string {
  return error.issues
    .map((issue) => (issue.path.length > 0 ? `${issue.path.join('.')}: ${issue.message}` : issue.message))
    .join('; ');
}
