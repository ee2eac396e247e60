import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Installation, install } from '../support/installation.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/*
 * Each parameter of each endpoint that is asked by GET, one after the other with values that are none, too large, or not what they seem, while the
 * others are as they should be: whatever is asked, the application answers what is wrong, or what it knows.
 */

interface Parameter {
  readonly name: string;
  readonly in: 'path' | 'query';
  readonly required?: boolean;
  readonly schema?: { readonly enum?: readonly string[]; readonly default?: unknown };
}
type Paths = Record<string, { readonly get?: { readonly parameters?: readonly Parameter[] } }>;

const VALUES = [
  '\0',
  'a\0b',
  '1e308',
  '-1',
  '0.5',
  '9007199254740991',
  '4294967296',
  'NaN',
  '',
  'true',
  '1970-01-01T00:00:00Z',
  '2262-04-11T23:47:16.854775807Z',
  "';DROP TABLE trace;--",
  '%00%ff',
  '../../etc/passwd',
  'constructor',
  '__proto__',
  'x'.repeat(5_000),
  'span where service is a above service is b and duration over 1s',
  '1970-01-01T00:00:00Z/2100-01-01T00:00:00Z',
];
const NOW = Date.now();
/** What the others are meanwhile. */
const PLAUSIBLE: Readonly<Record<string, string>> = {
  from: new Date(NOW - 3_600_000).toISOString(),
  to: new Date(NOW).toISOString(),
  at: new Date(NOW - 60_000).toISOString(),
  before: 'just',
  traceId: '0af7651916cd43dd8448eb211c80319c',
  spanId: '00f067aa0ba902b7',
  id: '1',
  version: '1',
  name: 'holds',
};

let dusk: Installation;
let paths: Paths;
beforeAll(async () => {
  dusk = await install();
  const shift = BigInt(NOW - 600_000) * 1_000_000n;
  await sendSpans(
    dusk.url,
    makeSpans({ id: 0, from: 0, to: 9 }, { id: 1, parent: 0, from: 1, to: 5 }).map((span) => ({
      ...span,
      start: shift,
      end: shift + 5_000_000n,
    })),
  );
  ({ paths } = await getJson(dusk.url, '/api/openapi.json'));
});
afterAll(() => dusk?.stop());

/** A parameter of so many endpoints is common, and is tried on each with one of so many parts of the values. */
const MANY = 4;
const PARTS = 4;

it('none of them makes an answer fail', async () => {
  const counts = new Map<string, number>();
  for (const { get } of Object.values(paths))
    for (const { name } of get?.parameters ?? []) counts.set(name, (counts.get(name) ?? 0) + 1);
  const tried = new Map<string, number>();
  const cases = Object.entries(paths).flatMap(([path, { get }]) =>
    (get?.parameters ?? []).flatMap((own) => {
      const at = tried.get(own.name) ?? 0;
      tried.set(own.name, at + 1);
      // What many endpoints take is read in one place: each is tried with the next part of the values, so that all of them together have all.
      return VALUES.filter((_, index) => counts.get(own.name)! < MANY || (index + at) % PARTS === 0).map((value) => {
        const of = ({ name, schema }: Parameter) =>
          name === own.name ? value : (PLAUSIBLE[name] ?? schema?.enum?.[0] ?? String(schema?.default ?? 'x'));
        let filled = path;
        const query = new URLSearchParams();
        for (const it of get!.parameters ?? [])
          if (it.in === 'path') filled = filled.replace(`{${it.name}}`, encodeURIComponent(of(it) || 'x'));
          else if (it.required || it === own) query.set(it.name, of(it));
        return `${filled}?${query}`.slice(0, 14_000);
      });
    }),
  );
  expect(cases.length).toBeGreaterThan(3_000);
  const failed: string[] = [];
  const queue = [...new Set(cases)];
  const ask = async () => {
    for (let path = queue.pop(); path !== undefined; path = queue.pop()) {
      // Answers that go on for as long as one listens are left after their head.
      const answer = await fetch(dusk.url + path, { signal: AbortSignal.timeout(30_000) });
      if (answer.status >= 500) failed.push(`${answer.status} ${path.slice(0, 200)}`);
      await answer.body?.cancel();
    }
  };
  await Promise.all(Array.from({ length: 8 }, ask));
  expect(failed).toEqual([]);
}, 600_000);
