import { PerformanceObserver, performance } from 'node:perf_hooks';
import { pathToFileURL } from 'node:url';

/*
 * The process that one way of writing a function runs in, by itself: its file is loaded here, and run when the parent says so. What is
 * measured is sent back; outputs are compared by the parent.
 */

/** What a file exports. The first file, or the file of inputs, has `inputs`. */
export interface FixModule {
  readonly default?: (input: unknown) => unknown;
  readonly what?: string;
  readonly inputs?: readonly unknown[] | (() => readonly unknown[] | Promise<readonly unknown[]>);
  readonly sizeOf?: (input: unknown) => number;
  readonly sizeName?: string;
}

export type FromParent =
  | { readonly do: 'load'; readonly file: string; readonly inputs: string }
  | { readonly do: 'run' }
  | { readonly do: 'outputs'; readonly from: number; readonly to: number };

export type FromFix =
  | {
      readonly is: 'loaded';
      readonly what: string;
      readonly inputs: number;
      readonly sizes: readonly number[] | null;
      readonly sizeName: string;
    }
  | {
      readonly is: 'ran';
      readonly ms: number;
      readonly each: readonly number[];
      readonly bytes: number;
      readonly collections: number;
      readonly gcMs: number;
    }
  | { readonly is: 'outputs'; readonly outputs: readonly unknown[] }
  | { readonly is: 'failed'; readonly message: string };

let work: ((input: unknown) => unknown) | undefined;
let inputs: readonly unknown[] = [];
let collections = 0;
let gcMs = 0;
let runFrom = 0;

new PerformanceObserver((list) => {
  for (const { duration, startTime } of list.getEntries()) {
    // The collection that was asked for before a run is reported late.
    if (startTime < runFrom) continue;
    collections++;
    gcMs += duration;
  }
}).observe({ entryTypes: ['gc'] });

const send = (message: FromFix) => process.send?.(message);

process.on('message', (message: FromParent) => {
  answer(message).catch((error: unknown) =>
    send({ is: 'failed', message: String((error as Error)?.message ?? error).slice(0, 500) }),
  );
});
process.on('disconnect', () => process.exit());

async function answer(message: FromParent): Promise<void> {
  if (message.do === 'load') await load(message.file, message.inputs);
  else if (message.do === 'run') await run();
  else
    send({
      is: 'outputs',
      outputs: await Promise.all(inputs.slice(message.from, message.to).map((it) => work!(structuredClone(it)))),
    });
}

async function load(file: string, inputFile: string): Promise<void> {
  const [module, given] = (await Promise.all([file, inputFile].map((it) => import(pathToFileURL(it).href)))) as FixModule[];
  if (typeof module.default !== 'function') throw new Error(`${file} has no default export that is a function`);
  const found = typeof given.inputs === 'function' ? await given.inputs() : given.inputs;
  if (!Array.isArray(found) || found.length === 0) throw new Error(`${inputFile} exports no list called inputs`);
  work = module.default;
  inputs = found;
  const sizes = given.sizeOf ? found.map((it) => given.sizeOf!(it)) : null;
  send({ is: 'loaded', what: module.what ?? '', inputs: found.length, sizes, sizeName: given.sizeName ?? '' });
}

/** One run over all inputs, each by itself timed. */
async function run(): Promise<void> {
  globalThis.gc?.();
  // Entries of collections come with a turn of the event loop.
  await new Promise((resolve) => setImmediate(resolve));
  [collections, gcMs, runFrom] = [0, 0, performance.now()];
  const before = process.memoryUsage().heapUsed;
  const each = new Array<number>(inputs.length);
  let total = 0;
  for (const [at, input] of inputs.entries()) {
    const began = performance.now();
    const result = work!(input);
    if (result instanceof Promise) await result;
    each[at] = performance.now() - began;
    total += each[at];
  }
  const bytes = Math.max(0, process.memoryUsage().heapUsed - before);
  await new Promise((resolve) => setImmediate(resolve));
  send({ is: 'ran', ms: total, each, bytes, collections, gcMs });
}
