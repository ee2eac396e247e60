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
/** As JSON Schema describes what a body holds. */
interface Schema {
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly format?: string;
  readonly minimum?: number;
  readonly minItems?: number;
  readonly items?: Schema;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
}
interface Operation {
  readonly parameters?: readonly Parameter[];
  readonly requestBody?: { readonly content: Readonly<Record<string, { readonly schema: Schema } | undefined>> };
}
type Paths = Record<string, Readonly<Partial<Record<'get' | 'post' | 'put' | 'patch' | 'delete', Operation>>>>;

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

/** What a part of a body may be instead. */
const PARTS_OF_BODIES = [null, '', 'x', 'a\ud800', -1, 1e308, true, [], {}, ['x'], { x: 1 }, 'http://[', 'x'.repeat(5_000)];
/** What fills the store anew, and what is no question of the interface. */
const LEFT_OUT = /^\/v1|^\/api\/intake\/reindex/;

function plausible(it: Schema): unknown {
  if (it.const !== undefined) return it.const;
  if (it.enum) return it.enum[0];
  const [first] = it.anyOf ?? it.oneOf ?? [];
  if (first) return plausible(first);
  switch (it.type) {
    case 'string':
      return it.format === 'uri' ? 'https://desk.osier-reach.example' : 'x';
    case 'integer':
    case 'number':
      return Math.max(1, it.minimum ?? 1);
    case 'boolean':
      return false;
    case 'array':
      return it.items && (it.minItems ?? 0) > 0 ? [plausible(it.items)] : [];
    case 'object':
      return Object.fromEntries(Object.entries(it.properties ?? {}).map(([name, of]) => [name, plausible(of)]));
    default:
      return null;
  }
}

/** The bodies that come of putting another value in the place of one part, at any depth. */
function changed(body: unknown): unknown[] {
  if (typeof body !== 'object' || body === null || Array.isArray(body)) return [];
  return Object.entries(body).flatMap(([name, value]) => [
    ...PARTS_OF_BODIES.map((part) => ({ ...body, [name]: part })),
    ...changed(value).map((inner) => ({ ...body, [name]: inner })),
  ]);
}

it('no part of a body makes an answer fail', async () => {
  const cases = Object.entries(paths).flatMap(([path, methods]) =>
    (['post', 'put', 'patch', 'delete'] as const).flatMap((method) => {
      const schema = methods[method]?.requestBody?.content['application/json']?.schema;
      if (!schema || LEFT_OUT.test(path)) return [];
      const whole = plausible(schema);
      return [whole, ...changed(whole)].map((body) => ({
        path: path.replace(/\{\w+\}/g, '1'),
        method,
        body: JSON.stringify(body),
      }));
    }),
  );
  expect(cases.length).toBeGreaterThan(1_000);
  const failed = new Set<string>();
  const ask = async () => {
    for (let it = cases.pop(); it !== undefined; it = cases.pop()) {
      const { path, method, body } = it;
      const answer = await fetch(dusk.url + path, {
        method: method.toUpperCase(),
        headers: { 'content-type': 'application/json', origin: dusk.url },
        body,
        signal: AbortSignal.timeout(60_000),
      });
      // Too many at once is no fault.
      if (answer.status >= 500 && answer.status !== 503) failed.add(`${answer.status} ${method} ${path} ${body.slice(0, 200)}`);
      await answer.body?.cancel();
    }
  };
  await Promise.all(Array.from({ length: 4 }, ask));
  expect([...failed]).toEqual([]);
});
