import { execFile } from 'node:child_process';
import { randomInt } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import { promisify } from 'node:util';
import type { Installation } from '../tests/support/installation.ts';
import { makeSpans } from '../tests/support/made/traceMaker.ts';
import { getJson, sendSpans } from '../tests/support/sending.ts';
import { print } from './support/load.ts';

const ASKERS = 12;
/** How long the quiet time is that the other is held against. */
const QUIET_MS = 10_000;

interface Operation {
  readonly parameters?: readonly { readonly name: string; readonly in: 'path' | 'query' }[];
  readonly requestBody?: { readonly content: Record<string, { readonly schema: { readonly properties?: object } }> };
}

/** One that asks for nonsense, for one request. */
type Case = (url: string) => Promise<Response>;

/** Values that are none, or too many, or too long, or not what they seem. */
const VALUES: readonly (() => string)[] = [
  () => '',
  () => 'x',
  () => '-1',
  () => '1e308',
  () => 'NaN',
  () => '1970-01-01T00:00:00Z',
  () => '2262-04-11T23:47:16.854775807Z',
  () => new Date(Date.now() - randomInt(1, 400) * 86_400_000).toISOString(),
  () => new Date().toISOString(),
  () => '\u0000',
  () => '\ud800',
  () => "';DROP TABLE trace;--",
  () => '%00%ff',
  () => '../../etc/passwd',
  () => 'a'.repeat(randomInt(1, 9_000)),
  () => 'a exists;'.repeat(randomInt(1, 200)),
  () => 'span where service is a above service is b and duration over 1s',
  () => `note contains ${'*'.repeat(200)}`,
  () => '0123456789abcdef0123456789abcdef',
  () => '0123456789abcdef',
  () => 'true',
  () => 'calm',
  () => '1970-01-01T00:00:00Z/2100-01-01T00:00:00Z',
  () => JSON.stringify(Array.from({ length: 100 }, () => 'x')),
];
const any = <T>(list: readonly T[]): T => list[randomInt(list.length)];

function bodyValue(depth = 0): unknown {
  switch (randomInt(depth > 3 ? 5 : 8)) {
    case 0:
      return null;
    case 1:
      return randomInt(2) === 1;
    case 2:
      return any([0, -1, 1e308, 2 ** 53, 0.1]);
    case 3:
    case 4:
      return any(VALUES)();
    case 5:
      // Wide or deep, not both: making the case must not take longer than answering it.
      return Array.from({ length: randomInt(depth === 0 ? 60 : 4) }, () => bodyValue(depth + 1));
    case 6:
      return { name: any(VALUES)(), on: true, kind: 'value', pattern: any(['(a+)+$', '(', '.*.*.*.*x', 'a{1000}']) };
    default:
      return Object.fromEntries(
        Array.from({ length: randomInt(depth === 0 ? 20 : 4) }, () => [any(VALUES)().slice(0, 50), bodyValue(depth + 1)]),
      );
  }
}

/** A case for a random endpoint of the interface, by its own description. */
function caseOf(paths: readonly (readonly [path: string, method: string, operation: Operation])[]): Case {
  const [path, method, { parameters = [], requestBody }] = any(paths);
  let filled = path;
  const query = new URLSearchParams();
  for (const parameter of parameters)
    if (parameter.in === 'path')
      filled = filled.replace(`{${parameter.name}}`, encodeURIComponent(any(VALUES)().toWellFormed() || 'x'));
    else if (randomInt(3) > 0) query.set(parameter.name, any(VALUES)());
  if (randomInt(10) === 0) query.set(any(VALUES)().slice(0, 20), 'x');
  if (requestBody === undefined)
    return (url) => fetch(`${url}${filled}?${query}`.slice(0, 15_000), { method: method.toUpperCase() });
  const names = Object.keys(requestBody.content['application/json']?.schema.properties ?? {});
  const body = Object.fromEntries(names.map((name) => [name, bodyValue()]));
  const text = randomInt(8) === 0 ? JSON.stringify(body).slice(1) : JSON.stringify(body);
  const headers = { 'content-type': any(['application/json', 'application/json', 'text/plain']) };
  return (url) => fetch(url + filled.replace(/\{\w+\}/g, 'x'), { method: method.toUpperCase(), headers, body: text });
}

/** Pages with hostile addresses. */
const PAGES = ['/now', '/now/failures', '/map', '/traces', '/traces/x', '/services/x', '/peers/x', '/l/x', '/intake', '/none'];
const pageCase: Case = (url) =>
  fetch(
    `${url}${any(PAGES)}?${new URLSearchParams({ last: any(VALUES)(), where: any(VALUES)(), from: any(VALUES)(), to: any(VALUES)(), before: any(VALUES)() })}`.slice(
      0,
      15_000,
    ),
  );

/**
 * Nonsense at every endpoint and page, from many at once, while one sends and one looks: what these two notice of it against a quiet time,
 * what is answered with 5xx, and what memory all processes take.
 */
export async function benchQuestions(dusk: Installation, cases: number): Promise<void> {
  const { paths } = (await getJson(dusk.url, '/api/openapi.json')) as { paths: Record<string, Record<string, Operation>> };
  const operations = Object.entries(paths)
    // What changes settings for good, and what sends, is tried by others.
    .filter(([path]) => !path.startsWith('/v1') && path !== '/api/intake/reindex')
    .flatMap(([path, methods]) => Object.entries(methods).map(([method, operation]) => [path, method, operation] as const));
  // What is only slow once is nobody's doing.
  for (const page of PAGES) await (await fetch(dusk.url + page)).arrayBuffer();
  const quiet = await watched(dusk.url, () => sleep(QUIET_MS));
  const statuses = new Map<string, number>();
  const lost: string[] = [];
  const took: { readonly ms: number; readonly url: string; readonly status: number }[] = [];
  let asked = 0;
  let mostMib = 0;
  const note = (key: string) => statuses.set(key, (statuses.get(key) ?? 0) + 1);
  const asker = async () => {
    while (asked < cases) {
      if (asked++ % 100 === 0) mostMib = Math.max(mostMib, await memoryOf(dusk.application.pid));
      const began = performance.now();
      const answer = await (randomInt(6) === 0 ? pageCase : caseOf(operations))(dusk.url).catch((error: Error) => error);
      if (answer instanceof Error) {
        note('broken off');
        lost.push(String(answer.cause ?? answer));
        continue;
      }
      note(`${answer.status}`);
      if (answer.status >= 500) lost.push(`${answer.status} ${answer.url.slice(0, 150)} ${(await answer.text()).slice(0, 100)}`);
      else await answer.arrayBuffer();
      took.push({
        ms: performance.now() - began,
        url: answer.url.slice(dusk.url.length, dusk.url.length + 150),
        status: answer.status,
      });
    }
  };
  const loud = await watched(dusk.url, async () => {
    await Promise.all(Array.from({ length: ASKERS }, asker));
  });
  print('questions of strangers', `${asked}: ${[...statuses].map(([status, count]) => `${count} × ${status}`).join(', ')}`);
  took.sort((a, b) => b.ms - a.ms);
  print('of these, median and the slowest', `${took[took.length >> 1].ms.toFixed(0)} ms`);
  for (const { ms, url, status } of took.slice(0, 10)) console.log(`    ${ms.toFixed(0)} ms ${status} ${url}`);
  for (const line of [...new Set(lost)].slice(0, 12)) console.log(`    ${line}`);
  for (const [who, of] of [['sender', 'sendMs'] as const, ['viewer', 'viewMs'] as const])
    print(
      `a good ${who}, p99 quiet and meanwhile`,
      `${p99(quiet[of]).toFixed(0)} ms, ${p99(loud[of]).toFixed(0)} ms = ${(p99(loud[of]) / p99(quiet[of])).toFixed(1)} ×, of ${loud[of].length}`,
    );
  print('refused of those two', String(quiet.refused + loud.refused));
  print('memory of all processes, most, MiB', mostMib.toFixed(0));
}

/** What one who sends and one who looks notice during some work. */
async function watched(url: string, work: () => Promise<void>) {
  const sendMs: number[] = [];
  const viewMs: number[] = [];
  let refused = 0;
  let isOver = false;
  const timed = async (list: number[], act: () => Promise<void>) => {
    while (!isOver) {
      const began = performance.now();
      await act().catch(() => {
        refused++;
      });
      list.push(performance.now() - began);
      await sleep(50);
    }
  };
  const spans = makeSpans({ id: 0, from: 0, to: 9 }, { id: 1, parent: 0, from: 1, to: 5 });
  const both = [
    timed(sendMs, async () => {
      const traceId = Array.from({ length: 4 }, () =>
        randomInt(2 ** 32)
          .toString(16)
          .padStart(8, '0'),
      ).join('');
      await sendSpans(
        url,
        spans.map((span) => ({ ...span, traceId: traceId as typeof span.traceId })),
      );
    }),
    timed(viewMs, async () => {
      const answer = await fetch(`${url}/now`);
      await answer.arrayBuffer();
      if (!answer.ok) throw new Error(String(answer.status));
    }),
  ];
  await work();
  isOver = true;
  await Promise.all(both);
  return { sendMs, viewMs, refused };
}

function p99(of: readonly number[]): number {
  return [...of].sort((a, b) => a - b)[Math.floor(0.99 * (of.length - 1))] ?? Number.NaN;
}

/** Resident memory of a process and all below it, MiB. */
async function memoryOf(pid: number): Promise<number> {
  const { stdout } = await promisify(execFile)('ps', ['-eo', 'pid=,ppid=,rss=']);
  const rows = stdout
    .trim()
    .split('\n')
    .map((line) => line.trim().split(/\s+/).map(Number));
  const within = new Set([pid]);
  for (let size = 0; size !== within.size; ) {
    size = within.size;
    for (const [own, parent] of rows) if (within.has(parent)) within.add(own);
  }
  return rows.filter(([own]) => within.has(own)).reduce((sum, [, , rss]) => sum + rss, 0) / 1024;
}
