import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import { shortName } from './words.ts';

/** What a request does, by what it waits for; the kinds of time of the rest of the interface. */
export const WAIT_WORDS: Readonly<Record<string, string>> = {
  '': 'own code',
  pool: 'waiting for a connection',
  database: 'statement running',
  lock: 'waiting for a lock',
  io: 'reading from disk',
  http: 'waiting for an answer',
  worker: 'waiting for a worker',
  loop: 'blocking the event loop',
  timer: 'waiting for a timer',
  file: 'waiting for a file',
};

/** The colour of a kind of waiting, a token of the design. */
export const WAIT_COLOURS: Readonly<Record<string, string>> = {
  '': '--t-own',
  pool: '--t-pool',
  database: '--t-db',
  lock: '--t-lock',
  io: '--t-io',
  http: '--t-remote',
  worker: '--t-queue',
  loop: '--t-own',
  timer: '--t-gap',
  file: '--t-io',
};

interface StandingPlace {
  readonly service: string;
  readonly frame: { readonly name: string; readonly line: number } | null;
  readonly wait: string;
  readonly requests: readonly { readonly ageMs: number; readonly operation: string }[];
}

/** What is running, in one sentence. @param places the worst first */
export function runningSentence(places: readonly StandingPlace[], running: number): string {
  if (running === 0) return 'No request has been running for longer than 100 ms';
  const [worst] = places;
  const count = worst.requests.length;
  const what = running === 1 ? 'One request runs' : `${running} requests run`;
  if (count >= 2 && count >= 0.3 * running) {
    const part = count < running ? `${count} of ${running}` : running === 2 ? 'Both' : `All ${running}`;
    if (worst.frame) return `${part} running requests stand on one line of ${worst.service}`;
    return `${part} running requests are ${WAIT_WORDS[worst.wait] ?? worst.wait} in ${worst.service}`;
  }
  const oldest = places.flatMap((place) => place.requests.map((it) => ({ ...it, place }))).sort((a, b) => b.ageMs - a.ageMs)[0];
  const where = oldest.place.frame ? `${shortName(oldest.place.frame.name)}:${oldest.place.frame.line} of ` : '';
  return `${what}, the oldest for ${formatDuration(oldest.ageMs * 1e6)} in ${where}${oldest.place.service}`;
}

/** How an age stands to what is usual: "usually 14.4 ms: 2 378 × that". */
export function againstUsual(ageMs: number, p50Ms: number | null): string {
  if (p50Ms === null || p50Ms <= 0) return 'how long it usually takes is not known';
  const times = ageMs / p50Ms;
  const usual = `usually ${formatDuration(p50Ms * 1e6)}`;
  return times < 2 ? usual : `${usual}: ${times >= 10 ? formatCount(Math.round(times)) : times.toFixed(1)} × that`;
}
