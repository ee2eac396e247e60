import { randomFrom } from './random.ts';

/** A made-up log in one style: its lines in random order, and which statement of the program wrote each. */
export interface StyledLog {
  readonly style: string;
  readonly lines: readonly { readonly text: string; readonly of: number }[];
}

type Random = ReturnType<typeof randomFrom>;
type Statement = (made: ReturnType<typeof valuesFrom>) => string;

function valuesFrom(random: Random) {
  const { below, oneOf } = random;
  const letters = 'abcdefghijklmnopqrstuvwxyz';
  const word = () => Array.from({ length: 4 + below(6) }, () => letters[below(26)]).join('');
  const hex = (length: number) => Array.from({ length }, () => '0123456789abcdef'[below(16)]).join('');
  return {
    below,
    oneOf,
    word,
    hex,
    ip: () => `10.${below(255)}.${below(255)}.${below(255)}`,
    uuid: () => `${hex(8)}-${hex(4)}-${hex(4)}-${hex(4)}-${hex(12)}`,
    ref: () => `OR${below(9)}${oneOf([...'CDFHK'])}${below(90)}${oneOf([...'ABE'])}${below(9)}`,
    ms: () => below(5_000),
    user: () => `${word()}.${word()}`,
    path: () => `/${oneOf(['holds', 'fares', 'passes'])}/${below(9_000)}`,
    time: () => `${10 + below(9)}:${10 + below(49)}:${10 + below(49)}.${100 + below(899)}`,
    host: () => `vm-quay-${1 + below(9)}`,
  };
}

const STYLES: Readonly<Record<string, readonly Statement[]>> = {
  prose: [
    (v) => `hold placed for booking ${v.ref()}: ${v.below(9)} guests, ${v.oneOf(['car', 'van', 'coach'])}`,
    (v) => `hold released for booking ${v.ref()}`,
    (v) => `payment of ${v.below(900)}.${10 + v.below(89)} crowns taken for ${v.ref()}`,
    (v) => `session opened for ${v.user()}`,
    (v) => `session closed for ${v.user()} after ${v.ms()} s`,
    (v) => `caller ${v.ip()}:${v.below(60_000)} went away after ${v.below(90_000)} bytes`,
    () => 'nothing to do',
  ],
  'key=value': [
    (v) => `level=info msg="hold placed" ref=${v.ref()} guests=${v.below(9)} took=${v.ms()}ms`,
    (v) => `level=info msg="hold released" ref=${v.ref()} guests=${v.below(9)} took=${v.ms()}ms`,
    (v) => `level=warn msg="slow statement" statement=${v.word()} took=${v.ms()}ms`,
    (v) => `level=error msg="partner refused" partner=${v.word()}.example code=${400 + v.below(99)}`,
  ],
  JSON: [
    (v) => JSON.stringify({ time: v.time(), level: 'info', message: `request ${v.hex(16)} done`, ms: v.ms() }),
    (v) => JSON.stringify({ time: v.time(), level: 'info', message: `request ${v.hex(16)} begun`, path: v.path() }),
    (v) => JSON.stringify({ time: v.time(), level: 'error', message: 'pool exhausted', waiting: v.below(90) }),
  ],
  'system log': [
    (v) => `Nov ${10 + v.below(18)} ${v.time()} ${v.host()} kernel: eth${v.below(3)}: link up, ${v.oneOf([100, 1000])} Mbps`,
    (v) =>
      `Nov ${10 + v.below(18)} ${v.time()} ${v.host()} kernel: Out of memory: killed process ${v.below(30_000)} (${v.word()})`,
    (v) => `Nov ${10 + v.below(18)} ${v.time()} ${v.host()} timer[${v.below(30_000)}]: (${v.word()}) run of hourly checks`,
    (v) =>
      `Nov ${10 + v.below(18)} ${v.time()} ${v.host()} timer[${v.below(30_000)}]: (${v.word()}) missed by ${v.below(90)} seconds`,
  ],
  'access log': [
    (v) =>
      `${v.ip()} - - [${10 + v.below(18)}/Nov/2026:${v.time()} +0000] "GET ${v.path()} HTTP/1.1" 200 ${v.below(90_000)} "-" ${v.ms()}`,
    (v) =>
      `${v.ip()} - ${v.word()} [${10 + v.below(18)}/Nov/2026:${v.time()} +0000] "POST ${v.path()} HTTP/1.1" 201 ${v.below(90_000)} ${v.ms()}`,
  ],
  'stack traces': [
    (v) => `TypeError: Cannot read ${v.word()} of undefined\n    at ${v.word()} (${v.word()}.js:${v.below(900)}:9)\n    at main`,
    (v) => `LockTimeout: gave up on ${v.word()} after ${v.ms()} ms\n    at wait (locks.js:${v.below(900)}:9)`,
    (v) => `RangeError: ${v.below(900)} is more than ${v.below(90)}\n    at ${v.word()} (${v.word()}.js:${v.below(900)}:9)`,
  ],
  table: [
    (v) => `lane ${v.below(20)} | ${v.oneOf(['free', 'taken'])} | ${v.below(900)} cm`,
    (v) => `berth ${v.below(20)} | vessel ${v.word()} | ${v.below(900)} m | ${v.below(30)} m`,
    (v) => `total ${v.below(20_000)} | lanes ${v.below(90)}`,
  ],
  bracketed: [
    (v) => `[${v.time()}] [worker-${v.below(16)}] [INFO] job ${v.uuid()} taken from ${v.word()}`,
    (v) => `[${v.time()}] [worker-${v.below(16)}] [INFO] job ${v.uuid()} done in ${v.ms()} ms`,
    (v) => `[${v.time()}] [worker-${v.below(16)}] [WARN] job ${v.uuid()} given up after ${v.below(9)} attempts: ${v.word()}`,
    (v) => `[${v.time()}] [main] [INFO] ${v.below(90)} jobs waiting`,
  ],
  database: [
    (v) => `duration: ${v.ms()}.${100 + v.below(899)} ms  statement: SELECT * FROM ${v.word()} WHERE id = ${v.below(9_000)}`,
    (v) =>
      `process ${v.below(30_000)} still waiting for ShareLock on transaction ${v.below(9_000_000)} after ${v.ms()}.${v.below(900)} ms`,
    (v) =>
      `checkpoint complete: wrote ${v.below(9_000)} buffers (${v.below(99)}.${v.below(9)} %); sync=${v.below(9)}.${100 + v.below(899)} s`,
    (v) => `could not send data to client: ${v.oneOf(['Broken pipe', 'Connection reset'])}`,
  ],
  metered: [
    (v) => `GC pause ${v.below(90)}.${v.below(9)} ms, heap ${v.below(900)} MB -> ${v.below(900)} MB`,
    (v) => `GC full ${v.below(900)}.${v.below(9)} ms, heap ${v.below(900)} MB -> ${v.below(900)} MB`,
    (v) => `rx=${v.below(90_000)} tx=${v.below(90_000)} drop=${v.below(9)} if=eth${v.below(4)}`,
    (v) => `cache ${v.word()}: ${v.below(9_000)} hits, ${v.below(900)} misses`,
  ],
};

/** A log of each style. */
export function styledLogs(seed: number, perStatement: number): StyledLog[] {
  const random = randomFrom(seed);
  const made = valuesFrom(random);
  return Object.entries(STYLES).map(([style, statements]) => ({
    style,
    lines: random.shuffled(
      statements.flatMap((statement, of) => Array.from({ length: perStatement }, () => ({ text: statement(made), of }))),
    ),
  }));
}
