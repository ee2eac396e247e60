import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Installation, install, until } from '../support/installation.ts';
import { getJson } from '../support/sending.ts';

/* Two services as they are: Node.js with the instrumentations that teams use, which send earlier names of the semantic conventions. */

let dusk: Installation;
const children: ChildProcess[] = [];

async function service(name: string, environment: Record<string, string>): Promise<string> {
  const child = spawn(
    process.execPath,
    ['--require', './tests/fixtures/instrumented/telemetry.cjs', 'tests/fixtures/instrumented/service.cjs'],
    { env: { ...process.env, SERVICE: name, DOOR: dusk.url, ...environment }, stdio: ['ignore', 'pipe', 'inherit'] },
  );
  children.push(child);
  const [port] = await once(child.stdout!, 'data');
  return `http://127.0.0.1:${String(port).trim()}`;
}

beforeAll(async () => {
  dusk = await install();
});
afterAll(async () => {
  for (const child of children) child.kill();
  await dusk?.stop();
});

it('services, the database by its name, and no partner called unknown', async () => {
  const database = new URL(dusk.cluster.url);
  const store = await service('moorings', { DATABASE: database.href });
  const front = await service('harbour-office', { NEXT: store });
  const from = new Date(Date.now() - 60_000).toISOString();
  for (let at = 0; at < 12; at++) expect((await fetch(`${front}/berths`)).status).toBe(200);
  const to = new Date(Date.now() + 60_000).toISOString();
  const window = `from=${from}&to=${to}`;

  const map = await until(
    () => getJson(dusk.url, `/api/map?${window}&before=just`),
    // Both services send their spans by themselves: until all are there, a call may lack its other side.
    (it) =>
      [/^database:/, /^moorings$/].every((to) =>
        it.edges.some((edge: { to: string; lit: { calls: number } }) => to.test(edge.to) && edge.lit.calls >= 12),
      ),
  );
  const name = database.pathname.slice(1);
  const nodes = map.nodes.map((it: { id: string }) => it.id).sort();
  expect(nodes).toEqual([`database:${name}`, 'harbour-office', 'moorings']);
  const edges = map.edges.map((it: { from: string; to: string; protocol: string }) => `${it.from} → ${it.to} ${it.protocol}`);
  expect(edges.sort()).toEqual([`harbour-office → moorings http`, `moorings → database:${name} postgresql`]);

  const { traces } = await getJson(dusk.url, `/api/traces?${window}`);
  const whole = await getJson(dusk.url, `/api/traces/${traces[0].traceId}`);
  const kinds = new Set<string>();
  for (const line of whole.ledger as { party: string; kind: string }[]) {
    expect(line.party).not.toBe('unknown');
    kinds.add(line.kind);
  }
  // The statement is the database's, and no time of the network is a partner's.
  expect(kinds.has('remote')).toBe(false);
});

it('an answer that failed is understood', async () => {
  const nowhere = await service('lost-office', { NEXT: 'http://127.0.0.1:9' });
  expect((await fetch(`${nowhere}/berths`)).status).toBe(502);
  const from = Date.now() - 60_000;
  let asked = 0;
  // Another window each time: an answer is remembered for a while.
  const windowOf = () => `from=${new Date(from).toISOString()}&to=${new Date(from + 120_000 + asked++).toISOString()}`;
  const starts = await until(
    () => getJson(dusk.url, `/api/map/starts?${windowOf()}&before=just`),
    // Its spans come in more than one piece: until the last is there, it seems to begin in the service.
    (it) => it.failures.origins[0]?.party === '127.0.0.1:9',
  );
  // The failing step of the network is not the partner; it is who listens at that port.
  expect(starts.failures.origins).toMatchObject([{ party: '127.0.0.1:9', what: 'ECONNREFUSED' }]);
});
