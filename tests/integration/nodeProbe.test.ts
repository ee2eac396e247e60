import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Installation, install, until } from '../support/installation.ts';
import { getJson } from '../support/sending.ts';

/* A real Node.js program under the probe: what it does is named to the line, over the application's own interface. */

const SOURCE = readFileSync('tests/fixtures/probed/server.js', 'utf8').split('\n');
const lineOf = (text: string) => SOURCE.findIndex((it) => it.includes(text)) + 1;

interface Program {
  readonly url: string;
  readonly child: ChildProcess;
  readonly said: () => string;
}

let dusk: Installation;
const programs: Program[] = [];

async function start(environment: Record<string, string> = {}): Promise<Program> {
  const child = spawn(process.execPath, ['--import', '../../../collectors/node/register.mjs', 'server.js'], {
    cwd: 'tests/fixtures/probed',
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DUSK_URL: dusk.url,
      DUSK_PROBE_REPORT_MS: '500',
      DUSK_PROBE_PROFILE_EVERY_MS: '0',
      ...environment,
    },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  child.stderr!.on('data', (part) => {
    said += String(part);
  });
  const [port] = await once(child.stdout!, 'data');
  const program = { url: `http://127.0.0.1:${String(port).trim()}`, child, said: () => said };
  programs.push(program);
  return program;
}

const window = () => {
  const now = Date.now();
  return `from=${new Date(now - 600_000).toISOString()}&to=${new Date(now + 60_000).toISOString()}&before=just`;
};
const running = () => getJson(dusk.url, `/api/code/running?${window()}`);
const instanceOf = async () =>
  (
    await until(
      () => getJson(dusk.url, '/api/code/probes'),
      ({ processes }) => processes.some((it: { service: string; gone: boolean }) => it.service === 'jetty' && !it.gone),
    )
  ).processes.find((it: { service: string; gone: boolean }) => it.service === 'jetty' && !it.gone) as {
    instance: string;
    can: string[];
  };

async function askFor(what: object): Promise<{ is: string; id: string; since: number | null }> {
  const answer = await fetch(`${dusk.url}/api/code/looks`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ service: 'jetty', ...what }),
  });
  return answer.json();
}
const ask = async (what: object) => askFor({ instance: (await instanceOf()).instance, ...what });

beforeAll(async () => {
  dusk = await install();
});
afterAll(async () => {
  for (const { child } of programs) child.kill('SIGKILL');
  await dusk?.stop();
});

describe('a request that hangs', () => {
  it('is listed with the line that it waits on, looked at again on the same line, and said to have ended', async () => {
    const { url } = await start();
    await instanceOf();
    const answered = fetch(`${url}/hang`);
    const { places } = await until(running, (it) => it.running > 0);
    const [place] = places;
    expect(place).toMatchObject({
      service: 'jetty',
      wait: 'timer',
      frame: { file: 'server.js', line: lineOf('setTimeout(done') },
    });
    const [{ traceId }] = place.requests;
    const asked = await ask({ traceId });
    expect(asked.is).toBe('asked');
    const one = () => getJson(dusk.url, `/api/code/running/${traceId}?${window()}`);
    const seen = await until(one, ({ looks }) => looks.some((it: { look: string }) => it.look === asked.id));
    expect(seen.state).toBe('running');
    expect(seen.request.looks).toBe(seen.looks.length);
    expect(seen.looks.at(-1).frames.find((it: { own: boolean }) => it.own).line).toBe(lineOf('setTimeout(done'));
    await fetch(`${url}/release`);
    await (await answered).text();
    // By its span, which the probe sends where no SDK does.
    const over = await until(one, ({ state }) => state === 'ended');
    expect(over.ended).toMatchObject({ outcome: '200', failed: false });
    expect(over.ended.ageMs).toBeGreaterThanOrEqual(place.requests[0].ageMs);
  });
});

describe('a blocked event loop', () => {
  it('answers with its stack while it is blocked, unasked and asked', async () => {
    const [{ url }] = programs;
    const answered = fetch(`${url}/block`);
    const { places } = await until(running, (it) => it.places.some(({ wait }: { wait: string }) => wait === 'loop'));
    const line = lineOf('turns++');
    // The loop's head, or its body.
    expect([line - 1, line]).toContain(places[0].frame.line);
    const [{ traceId }] = places[0].requests;
    const asked = await ask({ traceId });
    const seen = await until(
      () => getJson(dusk.url, `/api/code/running/${traceId}?${window()}`),
      ({ looks }) => looks.some((it: { look: string }) => it.look === asked.id),
    );
    const look = seen.looks.find((it: { look: string }) => it.look === asked.id);
    expect(look.frames[0].name).toBe('block');
    expect(seen.state).toBe('running');
    await (await answered).text();
  });
});

describe('a profile', () => {
  const load = async (path: string, url: string, until_: { over: boolean }) => {
    while (!until_.over) await (await fetch(`${url}${path}`)).text();
  };

  /** Takes profiles while a path is asked for, until one of them has enough samples of it. */
  async function profiled(path: string): Promise<void> {
    const [{ url }] = programs;
    const state = { over: false };
    const work = load(path, url, state);
    try {
      for (let tries = 0; tries < 5; tries++) {
        const { is } = await ask({ ask: 'cpu', seconds: 3 });
        expect(is).toBe('asked');
        const deadline = Date.now() + 8_000;
        while (Date.now() < deadline) {
          await sleep(500);
          if ((await profile(`&operation=${encodeURIComponent(`GET ${path}`)}`)).lit.count > 150) return;
        }
      }
    } finally {
      state.over = true;
      await work;
    }
  }
  const profile = (query = '') => getJson(dusk.url, `/api/code/profile?${window()}&service=jetty${query}`);
  interface Row {
    readonly name: string;
    readonly self: { readonly lit: number };
  }

  it('has the planted shares, with the operation that each sample was taken in', async () => {
    await profiled('/three');
    const found = await until(
      () => profile('&operation=GET%20%2Fthree'),
      (it) => it.lit.count > 150,
    );
    const share = (name: string) =>
      (found.functions as Row[]).filter((it) => it.name === name).reduce((sum, it) => sum + it.self.lit, 0) / found.lit.value;
    const [much, one] = [share('spinMuch'), share('spin')];
    // Three times the same loop: three quarters of both, to what so few samples can tell.
    expect(much + one).toBeGreaterThan(0.8);
    expect(Math.abs(much / (much + one) - 0.75)).toBeLessThan(0.09);
    const lines = await profile(`&function=${encodeURIComponent('spinMuch|server.js')}`);
    const hottest = [...lines.chosen.source.lines].sort((a, b) => b.self.lit - a.self.lit)[0];
    expect(hottest.line).toBe(lineOf('at < 3 * n'));
    expect(lines.chosen.source).toMatchObject({ file: 'server.js', version: '1.2.0', ran: '1.2.0' });
  });

  it('of the clock has what requests wait for', async () => {
    const [{ url }] = programs;
    const waiting = [fetch(`${url}/wait`), fetch(`${url}/wait`)];
    await ask({ ask: 'cpu', seconds: 2 });
    await sleep(3_500);
    await Promise.all(waiting);
    const found = await until(
      () => profile('&type=wall%20nanoseconds'),
      (it) => (it.operations as { value: string; lit: number }[]).some(({ value, lit }) => value === 'GET /wait' && lit > 1e9),
    );
    const frame = (found.tree.frames as { name: string; file: string; line: number }[]).find(({ name }) => name === 'waitFor');
    expect(frame?.file).toBe('server.js');
  });

  it('shows habits, each at its line', async () => {
    await profiled('/chart');
    const { findings } = await until(
      async () => {
        // What the engine's built-ins do for a function counts as its caller's mostly: it takes some samples until the line stands out.
        await profiled('/labels');
        return getJson(dusk.url, `/api/code/findings?${window()}`);
      },
      (it) => it.findings.length >= 2,
      120,
    );
    const at = (habit: string) => findings.find((it: { habit: string }) => it.habit === habit);
    expect(at('text in a loop')).toMatchObject({
      service: 'jetty',
      by: 'syntax',
      place: { file: 'server.js', line: lineOf('text += ') },
    });
    expect(at('blocking call')).toMatchObject({ place: { line: lineOf('readFileSync(process') } });
    expect(at('each with each')).toBeUndefined();
  });

  it('of the heap, again and again, shows what is kept more and more', async () => {
    const [{ url }] = programs;
    for (let look = 0; look < 6; look++) {
      for (let n = 0; n < 8; n++) await (await fetch(`${url}/remember`)).text();
      await ask({ ask: 'heap' });
      await sleep(400);
    }
    const { findings } = await until(
      () => getJson(dusk.url, `/api/code/findings?${window()}`),
      (it) => it.findings.some(({ habit }: { habit: string }) => habit === 'memory kept'),
    );
    expect(findings.find((it: { habit: string }) => it.habit === 'memory kept')).toMatchObject({
      service: 'jetty',
      unit: 'bytes',
      place: { file: 'server.js', line: lineOf('kept.push') },
    });
  });

  it('of what is allocated has also what was not kept, and what is held is sampled again afterwards', async () => {
    const [{ url }] = programs;
    await ask({ ask: 'allocation', seconds: 2 });
    await sleep(300);
    for (let n = 0; n < 5; n++) await (await fetch(`${url}/labels`)).text();
    const taken = (type: string) => () => getJson(dusk.url, `/api/code/profile?${window()}&service=jetty&type=${type}%20bytes`);
    const { functions } = await until(taken('alloc_space'), ({ lit }) => lit.value > 0);
    const labels = functions.find(({ name }: { name: string }) => name === 'labels');
    expect(labels.total.lit).toBeGreaterThan(2_000_000);
    const before = (await taken('inuse_space')()).lit.count;
    // One object in 256 kB is sampled: enough is kept that some are for certain.
    for (let n = 0; n < 20; n++) await (await fetch(`${url}/remember`)).text();
    await ask({ ask: 'heap' });
    await until(taken('inuse_space'), ({ lit }) => lit.count > before);
  });
});

describe('the probe', () => {
  it('says nothing as long as it can send, and lets the program end at once', async () => {
    const { child, said } = programs[0];
    const ended = once(child, 'exit');
    child.kill('SIGTERM');
    await ended;
    expect(said()).toBe('');
  });

  it('is said to be gone when it has not asked for a while; the program goes on without the application', async () => {
    const { url, child, said } = await start({ DUSK_URL: 'http://127.0.0.1:9' });
    expect((await fetch(`${url}/three`)).status).toBe(200);
    await until(
      async () => said(),
      (it) => it.includes('not sent to http://127.0.0.1:9'),
    );
    expect((await fetch(`${url}/three`)).status).toBe(200);
    child.kill();
    const answer = await askFor({ instance: 'nowhere', traceId: '' });
    expect(answer).toEqual({ is: 'no probe', id: '', since: null });
  });

  it('does not start where it is switched off', async () => {
    const { url, child } = await start({ DUSK_PROBE: 'off' });
    expect((await fetch(`${url}/three`)).status).toBe(200);
    child.kill();
  });
});
