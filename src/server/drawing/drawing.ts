import { AsyncLocalStorage } from 'node:async_hooks';
import { type ChildProcess, fork } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { Agent, type IncomingHttpHeaders, request as requestOver } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { Supervised } from '../life/supervise.ts';
import { type FromDrawing, HANDED_HEADER, type Handed, type PageAnswer, type PageQuestion, type ToDrawing } from './messages.ts';

/** The process that draws pages, and how it is reached. */
interface Drawing {
  readonly child: ChildProcess;
  readonly ended: Promise<void>;
  readonly socketPath: string;
  readonly agent: Agent;
  /** When it last came to other things than drawing, milliseconds of `performance.now()`. */
  beatAt: number;
}

/** Answers the questions of a page. */
type Answerer = (key: string, query: Record<string, unknown>) => Promise<PageAnswer<unknown>>;

interface State {
  readonly drawing: Supervised<Drawing>;
  readonly pages: Map<number, { readonly owner: string; readonly answer: Answerer }>;
  begun: number;
  isEnding: boolean;
}

/** A page to be drawn. */
export interface AskedPage {
  readonly method: string;
  /** Path and query. */
  readonly path: string;
  readonly headers: IncomingHttpHeaders;
  readonly handed: Omit<Handed, 'page'>;
  /** Aborted when nobody waits for it any more. */
  readonly left: AbortSignal;
}

/** A page as it was drawn. */
export interface DrawnPage {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: Uint8Array<ArrayBuffer>;
}

/** Too many pages are being drawn, or the process that draws has just ended. */
export class NotDrawn extends Error {}

/** Pages that are being drawn or wait for what they show, and those of one owner: there is room left for others. */
const MOST_PAGES = 200;
const MOST_OF_ONE = 120;
const LONGEST_MS = 150_000;
/** A process that has been at one page for so long is stuck. */
const STUCK_MS = 20_000;
const LOOK_MS = 2_000;
/** What a page is told that nobody waits for any more. */
const LEFT: PageAnswer<never> = { refused: { status: 499, message: 'The page was left.' } };
/** How long a page waits for a process that is being started. */
const PATIENCE_MS = 10_000;
/** Pages leave little behind that lives on: a small nursery costs hardly any time. MiB. */
const SMALL = ['--max-semi-space-size=4'];
const LONGEST_SOCKET_PATH = 100;

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the process is not. */
const SHARED = Symbol.for('dusk-lantern.drawing');
const shared = globalThis as { [SHARED]?: State };

/** Starts the process, so that the first who opens a page need not wait for it. */
export async function startDrawing(): Promise<void> {
  const state: State = {
    pages: new Map(),
    begun: 0,
    isEnding: false,
    drawing: new Supervised<Drawing>({
      what: 'The process that draws pages',
      start: () => start(state.pages),
      say: (text) => console.error(text),
      isEnding: () => state.isEnding,
    }),
  };
  shared[SHARED] = state;
  await state.drawing.begin();
}

export function stopDrawing(): void {
  const state = shared[SHARED];
  if (!state) return;
  state.isEnding = true;
  if (state.drawing.current?.child.connected) state.drawing.current.child.disconnect();
}

/** Whether pages can be drawn now, and how often the process had to be started again. */
export function drawingState(): { readonly isUp: boolean; readonly restarts: number } {
  const drawing = shared[SHARED]?.drawing;
  return { isUp: drawing?.current !== undefined, restarts: drawing?.restarts ?? 0 };
}

function socketPath(): string {
  const own = join(process.env.DUSK_DATA_DIR ?? tmpdir(), 'pages.socket');
  // The system takes no longer ones.
  return own.length <= LONGEST_SOCKET_PATH ? own : join(mkdtempSync(join(tmpdir(), 'dusk-pages-')), 'socket');
}

function start(pages: State['pages']): Promise<Drawing> {
  const path = socketPath();
  // What draws needs neither the store nor what others come in by.
  const { DATABASE_URL, DUSK_SECRET, DUSK_OWN_TOKEN, DUSK_SELF_URL, ...env } = process.env;
  const child = fork(resolve('dist/processes/drawPages.js'), [path], {
    serialization: 'advanced',
    execArgv: [...process.execArgv, ...SMALL],
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    env,
  });
  const agent = new Agent({ keepAlive: true, maxSockets: MOST_PAGES });
  const ended = new Promise<void>((end) => {
    child.on('exit', () => {
      agent.destroy();
      end();
    });
  });
  return new Promise((ready, fail) => {
    let drawing: Drawing | undefined;
    child.on('message', (message: FromDrawing) => {
      if (drawing) drawing.beatAt = performance.now();
      if ('question' in message) void answer(child, pages, message.question);
      else if ('listening' in message) {
        drawing = { child, ended, socketPath: message.listening, agent, beatAt: performance.now() };
        endWhenStuck(drawing);
        ready(drawing);
      }
    });
    child.on('error', fail);
    child.on('exit', (code, signal) => fail(new Error(`it ended with ${signal ?? `code ${code}`} before it was ready`)));
  });
}

function endWhenStuck(drawing: Drawing): void {
  let lookedAt = performance.now();
  const look = setInterval(() => {
    const now = performance.now();
    // Where this process itself was held up, beats are still to be read.
    const wasHeldUp = now - lookedAt > 2 * LOOK_MS;
    lookedAt = now;
    if (wasHeldUp || now - drawing.beatAt < STUCK_MS) return;
    console.error(`The process that draws pages was at one of them for over ${STUCK_MS / 1000} s; it is ended.`);
    drawing.child.kill('SIGKILL');
  }, LOOK_MS).unref();
  void drawing.ended.then(() => clearInterval(look));
}

async function answer(child: ChildProcess, pages: State['pages'], { number, page, key, query }: PageQuestion): Promise<void> {
  const answered = await (pages.get(page)?.answer(key, query) ?? LEFT);
  if (child.connected) child.send({ number, answer: answered } satisfies ToDrawing);
}

/**
 * Has a page drawn by the process for it.
 *
 * @param answerer answers what the page asks, for the one who opens it @throws NotDrawn; an AbortError when it was left
 */
export async function draw({ method, path, headers, handed, left }: AskedPage, answerer: Answerer): Promise<DrawnPage> {
  const state = shared[SHARED];
  if (!state || state.pages.size >= MOST_PAGES) throw new NotDrawn('too many pages are being drawn');
  const { owner } = handed;
  const own = [...state.pages.values()].filter((it) => it.owner === owner);
  if (own.length >= MOST_OF_ONE) throw new NotDrawn('too many of your pages are being drawn');
  const page = state.begun++;
  // Questions come over a channel of all pages; they are answered within the request that the page is of.
  state.pages.set(page, { owner, answer: AsyncLocalStorage.bind(answerer) });
  try {
    const drawing = await running(state, left);
    const sent = { ...headers, [HANDED_HEADER]: encodeURIComponent(JSON.stringify({ ...handed, page } satisfies Handed)) };
    return await drawnBy(drawing, { method, path, headers: sent, left });
  } finally {
    state.pages.delete(page);
  }
}

async function running(state: State, left: AbortSignal): Promise<Drawing> {
  const until = performance.now() + PATIENCE_MS;
  for (;;) {
    left.throwIfAborted();
    const { current } = state.drawing;
    if (current) return current;
    if (state.isEnding || performance.now() > until) throw new NotDrawn('the process that draws pages is being started');
    await new Promise((later) => setTimeout(later, 50));
  }
}

function drawnBy({ socketPath, agent }: Drawing, { method, path, headers, left }: Omit<AskedPage, 'handed'>): Promise<DrawnPage> {
  return new Promise((resolve, reject) => {
    const asked = requestOver({ socketPath, agent, method, path, headers, signal: left, timeout: LONGEST_MS }, (drawn) => {
      const parts: Buffer[] = [];
      drawn.on('data', (part: Buffer) => parts.push(part));
      drawn.on('end', () => resolve({ status: drawn.statusCode ?? 500, headers: drawn.headers, body: Buffer.concat(parts) }));
      drawn.on('error', reject);
    });
    asked.on('timeout', () => asked.destroy(new NotDrawn('the page took too long')));
    asked.on('error', (error) => {
      if (left.aborted) reject(left.reason);
      else reject(error instanceof NotDrawn ? error : new NotDrawn('the process that draws pages ended', { cause: error }));
    });
    asked.end();
  });
}
