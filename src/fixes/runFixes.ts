import { type ChildProcess, fork } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { type CodeTrial, middle, type TriedCode } from '../core/fixes/codeTrial.ts';
import { growth } from '../core/habits/growth.ts';
import { type Verdict, verdicts } from '../core/planbench/verdict.ts';
import type { FromFix, FromParent } from './fixProcess.ts';

export interface FixRequest {
  /** The original first. */
  readonly files: readonly string[];
  /** The file that exports the inputs; the original by default. */
  readonly inputs?: string;
  readonly subject?: string;
  readonly note?: string;
  readonly rounds?: number;
  readonly onRound?: (done: number, of: number) => void;
  readonly signal?: AbortSignal;
}

/** The first runs of each, which the engine spends on compiling, do not count. */
const WARM_UP = 3;
const ROUNDS = 20;
/** Files that are run against each other, at most, and how long one message may take. */
const MOST_FILES = 12;
const LONGEST_MS = 60_000;
/** All rounds together; what is left after that is not run. */
const LONGEST_TRIAL_MS = 5 * 60_000;
/** Outputs that are fetched together: they are held twice. */
const OUTPUTS_AT_ONCE = 200;
const MIB_OF_HEAP = 1024;

/** Runs a function and alternatives to it by turns, each in a process of its own, and holds times, memory and outputs against the original's. */
export async function runFixes(request: FixRequest): Promise<CodeTrial> {
  const { files, subject = '', note = '', rounds = ROUNDS, onRound, signal } = request;
  if (files.length < 2) throw new Error('name the original and at least one alternative');
  if (files.length > MOST_FILES) throw new Error(`${files.length} files are too many; ${MOST_FILES} at most`);
  const inputs = resolve(request.inputs ?? files[0]);
  const begun = Date.now();
  const ways = files.map((file) => new Way(resolve(file), inputs));
  try {
    for (const way of ways) await way.load();
    const [original] = ways;
    if (original.failed) throw new Error(original.failed);
    const order = [...ways.keys()];
    for (let round = 0; round < WARM_UP + rounds; round++) {
      if (signal?.aborted) throw new Error('stopped');
      if (Date.now() - begun > LONGEST_TRIAL_MS && round > WARM_UP) break;
      shuffle(order);
      for (const at of order) await ways[at].run(round >= WARM_UP);
      onRound?.(Math.max(0, round + 1 - WARM_UP), rounds);
    }
    await compareOutputs(ways);
    return trialOf(ways, { subject, note, begun, rounds: Math.max(...ways.map(({ runs }) => runs.length)) });
  } finally {
    for (const way of ways) way.end();
  }
}

/** One file in its process. What goes wrong in it ends it, not the others. */
class Way {
  readonly file: string;
  what = '';
  failed = '';
  inputs = 0;
  sizes: readonly number[] | null = null;
  sizeName = '';
  same = 0;
  gcMs = 0;
  readonly runs: number[] = [];
  readonly each: (readonly number[])[] = [];
  readonly memory: { readonly bytes: number; readonly collections: number }[] = [];
  readonly #inputs: string;
  readonly #child: ChildProcess;

  constructor(file: string, inputs: string) {
    this.file = file;
    this.#inputs = inputs;
    this.#child = fork(resolve('src/fixes/fixProcess.ts'), [], {
      execArgv: ['--import', 'tsx', '--expose-gc', '--max-semi-space-size=256', `--max-old-space-size=${MIB_OF_HEAP}`],
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      // Nothing of the application is known to what is run.
      env: { PATH: process.env.PATH, HOME: '/nonexistent' },
    });
  }

  async load(): Promise<void> {
    const loaded = await this.#ask({ do: 'load', file: this.file, inputs: this.#inputs });
    if (loaded?.is !== 'loaded') return;
    this.what = loaded.what || basename(this.file);
    this.inputs = loaded.inputs;
    this.sizes = loaded.sizes;
    this.sizeName = loaded.sizeName;
  }

  async run(counts: boolean): Promise<void> {
    if (this.failed) return;
    const ran = await this.#ask({ do: 'run' });
    if (ran?.is !== 'ran' || !counts) return;
    this.runs.push(ran.ms);
    this.each.push(ran.each);
    this.memory.push({ bytes: ran.bytes, collections: ran.collections });
    this.gcMs += ran.gcMs;
  }

  async outputs(from: number, to: number): Promise<readonly unknown[] | undefined> {
    if (this.failed) return undefined;
    const found = await this.#ask({ do: 'outputs', from, to });
    return found?.is === 'outputs' ? found.outputs : undefined;
  }

  #ask(message: FromParent): Promise<FromFix | undefined> {
    return new Promise((done) => {
      const end = (answer: FromFix | undefined, failed = '') => {
        clearTimeout(timer);
        this.#child.off('message', onMessage);
        this.#child.off('exit', onExit);
        if (answer?.is === 'failed') this.failed = answer.message;
        else if (failed) this.failed = failed;
        done(answer);
      };
      const onMessage = (answer: unknown) => end(answer as FromFix);
      const onExit = () => end(undefined, 'its process ended');
      const timer = setTimeout(() => {
        this.#child.kill('SIGKILL');
        end(undefined, `no answer within ${LONGEST_MS / 1000} s`);
      }, LONGEST_MS);
      this.#child.once('message', onMessage);
      this.#child.once('exit', onExit);
      if (this.#child.exitCode !== null || !this.#child.connected) end(undefined, 'its process ended');
      else this.#child.send(message);
    });
  }

  end(): void {
    this.#child.kill('SIGKILL');
  }
}

async function compareOutputs(ways: readonly Way[]): Promise<void> {
  const [original, ...others] = ways;
  original.same = original.inputs;
  for (let from = 0; from < original.inputs; from += OUTPUTS_AT_ONCE) {
    const wanted = await original.outputs(from, from + OUTPUTS_AT_ONCE);
    for (const way of others) {
      const found = await way.outputs(from, from + OUTPUTS_AT_ONCE);
      if (wanted && found) way.same += wanted.filter((it, at) => isDeepStrictEqual(found[at], it)).length;
    }
  }
}

function trialOf(ways: readonly Way[], about: Pick<CodeTrial, 'subject' | 'note' | 'begun' | 'rounds'>): CodeTrial {
  const [original] = ways;
  // One whose output differs is no alternative, however fast it is.
  const comparable = ways.slice(1).filter((it) => it.failed === '' && it.same === original.inputs && it.runs.length > 0);
  const judged = verdicts(
    original.runs,
    comparable.map(({ runs }) => runs),
  );
  const verdictOf = new Map<Way, Verdict>(comparable.map((it, at) => [it, judged[at]]));
  return {
    id: randomUUID(),
    ...about,
    runtime: `Node.js ${process.versions.node}`,
    inputs: original.inputs,
    sizeName: original.sizeName,
    ways: ways.map((way) => triedOf(way, original, verdictOf.get(way) ?? null)),
  };
}

function triedOf(way: Way, original: Way, verdict: Verdict | null): TriedCode {
  const clean = way.memory.filter(({ collections }) => collections === 0);
  const bySize = original.sizes ? timesBySize(original.sizes, way.each) : [];
  return {
    file: basename(way.file),
    what: way.what,
    source: readFileSync(way.file, 'utf8').slice(0, 100_000),
    runs: way.runs,
    bytes: middle((clean.length > 0 ? clean : way.memory).map(({ bytes }) => bytes)) || 0,
    bytesAtLeast: clean.length === 0 && way.memory.length > 0,
    gcMs: way.gcMs,
    same: way.same,
    of: original.inputs,
    failed: way.failed,
    bySize,
    slope: slopeOf(bySize),
    verdict,
  };
}

/** The median time of the inputs of each size. */
function timesBySize(sizes: readonly number[], each: readonly (readonly number[])[]): [number, number][] {
  const times = new Map<number, number[]>();
  for (const [at, size] of sizes.entries())
    for (const run of each) if (run[at] !== undefined) times.set(size, [...(times.get(size) ?? []), run[at]]);
  return [...times].map(([size, ms]): [number, number] => [size, middle(ms)]).sort(([a], [b]) => a - b);
}

function slopeOf(bySize: readonly (readonly [number, number])[]): TriedCode['slope'] {
  const found = growth(bySize);
  return found && { slope: found.slope, interval: found.interval };
}

function shuffle(list: number[]): void {
  for (let at = list.length - 1; at > 0; at--) {
    const other = Math.floor(Math.random() * (at + 1));
    [list[at], list[other]] = [list[other], list[at]];
  }
}
