import { chmodSync, mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { CodeRunning } from '../../src/api/code/running.ts';
import type { Around } from '../../src/api/now/around.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { readFolded } from '../../src/formats/profile/folded.ts';
import { readPprof } from '../../src/formats/profile/pprof.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { END, iso, KEY, look, MINUTE, SOURCES, sendGrownCode, TICK, TRACE, TURN, WINDOW } from '../support/made/grownCode.ts';
import { logs } from '../support/made/otlpSignals.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../support/sending.ts';

/* What comes of profiles and of running requests that were sent as OTLP, over the interface for programs. */

let dusk: Installation;
const fixes = mkdtempSync(join(tmpdir(), 'dusk-fixes-'));
// Read by the application, which is another user when root starts it.
chmodSync(fixes, 0o755);

beforeAll(async () => {
  mkdirSync(join(fixes, 'names'));
  const write = (name: string, text: string) => writeFileSync(join(fixes, 'names', name), text);
  write('fixes.json', JSON.stringify({ subject: KEY, inputs: 'inputs.mjs', files: ['a.mjs', 'b.mjs', 'c.mjs', 'd.mjs'] }));
  write(
    'inputs.mjs',
    'export const inputs = Array.from({ length: 8 }, (_, n) => 40 * (n + 1));\nexport const sizeOf = (n) => n;\nexport const sizeName = "items";',
  );
  write(
    'a.mjs',
    'export const what = "as it is";\nexport default (n) => { let x = 0; for (let i = 0; i < n; i++) for (let j = 0; j < 4 * n; j++) x += i ^ j; return [n, x & 0]; };',
  );
  write('b.mjs', 'export const what = "nothing is computed";\nexport default (n) => [n, 0];');
  write('c.mjs', 'export default (n) => [n, n];');
  write('d.mjs', 'export default (n) => { throw new Error("no such item"); };');
  process.env.DUSK_FIXES = fixes;
  dusk = await install();
  await sendGrownCode(dusk.url);
});
afterAll(async () => {
  delete process.env.DUSK_FIXES;
  await dusk?.stop();
});

describe('a profile', () => {
  it('has the sums of both windows, the function that grew, and the cost of its lines', async () => {
    const found = await getJson(dusk.url, `/api/code/profile?${WINDOW}&service=ferries`);
    expect([found.lit.count, found.before.count]).toEqual([1_600, 800]);
    expect([found.lit.value, found.before.value]).toEqual([1_600 * TICK, 800 * TICK]);
    expect(found.grown).toBe('collect|src/names.js');
    expect(found.chosen).toMatchObject({
      name: 'collect',
      self: { lit: 1_200 * TICK, before: 80 * TICK },
      operations: [{ value: 'GET /names', lit: 1_200 * TICK }],
      source: { version: '2.0.0', ran: '2.0.0', formerVersion: '1.0.0', former: SOURCES['1.0.0'] },
    });
    expect(found.chosen.source.lines.find((it: { line: number }) => it.line === 3).self.lit).toBe(1_200 * TICK);
    expect(found.chosen.way.map((it: { name: string }) => it.name)).toEqual(['onRequest', 'handle', 'collect']);
  });

  it('of one version against another takes both from the lit window', async () => {
    const wide = `from=${iso(TURN - 20 * MINUTE)}&to=${iso(END)}&before=just`;
    const found = await getJson(dusk.url, `/api/code/profile?${wide}&service=ferries&version=2.0.0&against=1.0.0`);
    expect([found.lit.count, found.before.count, found.reference]).toEqual([1_600, 800, '1.0.0']);
    const none = await getJson(dusk.url, `/api/code/profile?${WINDOW}&service=ferries&version=9`);
    expect(none.lit.value).toBe(0);
  });

  it('is narrowed by operation', async () => {
    const found = await getJson(
      dusk.url,
      `/api/code/profile?${WINDOW}&service=ferries&operation=${encodeURIComponent('GET /other')}`,
    );
    expect(found.lit.count).toBe(400);
    expect(found.functions[0].name).toBe('other');
  });

  it('is handed out as pprof, folded stacks and .cpuprofile, with the same total', async () => {
    const file = async (format: string) => {
      const answer = await fetch(`${dusk.url}/api/code/profile/download?${WINDOW}&service=ferries&format=${format}`);
      expect(answer.status).toBe(200);
      expect(answer.headers.get('content-disposition')).toContain('ferries-cpu');
      return Buffer.from(await answer.arrayBuffer());
    };
    const sum = (it: { samples: readonly { value: number }[] }) => it.samples.reduce((total, { value }) => total + value, 0);
    expect(sum(readPprof(await file('pprof'), 0n)[0])).toBe(1_600 * TICK);
    expect(sum(readFolded((await file('folded')).toString(), 0n))).toBe(1_600 * TICK);
    expect(JSON.parse((await file('cpuprofile')).toString()).nodes.length).toBeGreaterThan(3);
    const refused = await fetch(`${dusk.url}/api/code/profile/download?${WINDOW}&service=ferries&format=svg`);
    expect(refused.status).toBe(400);
    const none = await fetch(`${dusk.url}/api/code/profile/download?${WINDOW}&service=nobody&format=pprof`);
    expect([none.status, await none.json()]).toEqual([404, { error: 'Nothing was sampled of nobody in this window.' }]);
  });

  it('is the same after its columns were built anew', async () => {
    const url = `/api/code/profile?${WINDOW}&service=ferries`;
    const first = await getJson(dusk.url, url);
    expect(
      (
        await fetch(`${dusk.url}/api/intake/reindex`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: '{}',
        })
      ).status,
    ).toBe(200);
    expect((await getJson(dusk.url, url)).functions).toEqual(first.functions);
  });
});

describe('findings', () => {
  const found = async () => (await getJson(dusk.url, `/api/code/findings?${WINDOW}`)).findings;
  it('name the line and the habit, and nothing of the quiet services', async () => {
    const all = await found();
    expect(all.map((it: { service: string }) => it.service)).toEqual(['ferries']);
    expect(all[0]).toMatchObject({
      key: KEY,
      title: 'Text built up in a loop',
      version: '2.0.0',
      verdict: 'over usual',
      by: 'syntax',
      place: { file: 'src/names.js', line: 3 },
      samples: 1_200,
      share: 0.75,
    });
    expect(all[0].usual.high).toBe(0);
  });

  const put = (path: string, body: unknown) =>
    fetch(dusk.url + path, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });

  it('are set aside with a reason, and back again', async () => {
    await put('/api/code/findings/aside', { key: KEY, reason: 'dear on purpose' });
    expect((await found())[0].setAside).toBe('dear on purpose');
    await put('/api/code/findings/aside', { key: KEY, reason: '' });
    expect((await found())[0].setAside).toBe('');
  });

  it('depend on what is own code, which can be set', async () => {
    const rules = { own: [], library: ['src/names'] };
    expect(await (await put('/api/code/own', rules)).json()).toEqual(rules);
    expect((await found()).filter((it: { key: string }) => it.key === KEY)).toEqual([]);
    await put('/api/code/own', { own: [], library: [] });
    expect((await found())[0].key).toBe(KEY);
    expect((await put('/api/code/own', { own: [''], library: [] })).status).toBe(400);
  });

  it('have fixes that are run by turns: faster with the same output, another output, one that fails', async () => {
    const subject = `subject=${encodeURIComponent(KEY)}`;
    expect(await getJson(dusk.url, `/api/code/fixes?${subject}`)).toMatchObject({ files: 3, trial: null, running: null });
    const post = (of: string) =>
      fetch(`${dusk.url}/api/code/fixes`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ subject: of }),
      });
    expect((await post('none')).status).toBe(404);
    expect((await post(KEY)).status).toBe(200);
    const { trial } = await until(
      () => getJson(dusk.url, `/api/code/fixes?${subject}`),
      (it) => it.trial !== null || it.failed !== '',
      90,
    );
    const [original, nothing, other, failing] = trial.ways;
    expect(original).toMatchObject({ what: 'as it is', same: 8, of: 8, verdict: null });
    expect(nothing).toMatchObject({ same: 8, verdict: { is: 'better' } });
    expect(other).toMatchObject({ what: 'c.mjs', same: 0, verdict: null });
    expect(failing).toMatchObject({ failed: 'no such item', verdict: null });
    expect(original.runs.length).toBe(trial.rounds);
    expect((await found())[0].fixes).toMatchObject({ tried: 3 });
  });
});

describe('running requests', () => {
  const at = (ms: number) => `from=${iso(TURN)}&to=${iso(ms)}&before=just`;

  it('stand by the first line of own code, with since when', async () => {
    await sendJson(dusk.url, '/v1/logs', logs('store', [look(10_000, 80), look(20_000, 88), look(30_000, 88), look(40_000, 88)]));
    const found = await getJson(dusk.url, `/api/code/running?${at(END - 60_000 + 42_000)}`);
    expect(found.running).toBe(1);
    expect(found.places[0]).toMatchObject({
      service: 'store',
      wait: 'database',
      frame: { name: 'change', file: 'src/store.js', line: 88 },
    });
    expect(found.places[0].requests[0]).toMatchObject({
      traceId: TRACE,
      thread: 'worker 3',
      looks: 3,
      of: 4,
      since: END - 40_000,
    });
    expect(found.overTime.points.reduce((sum: number, it: { count: number }) => sum + it.count, 0)).toBeGreaterThan(0);
    // Nothing was heard of it for long by now: its age is not counted on from what was last heard.
    const one = await getJson(dusk.url, `/api/code/running/${TRACE}?${at(END)}`);
    expect([one.state, one.request.ageMs, one.services[0].ageMs]).toEqual(['unknown', 40_000, 40_000]);
    // A minute later nobody reports it any more.
    expect((await getJson(dusk.url, `/api/code/running?${at(END + 120_000)}`)).running).toBe(0);
  });

  it('have ended when their process says so', async () => {
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('store', [look(50_000, 88, { 'lantern.state': 'ended', 'lantern.outcome': '500' })]),
    );
    const one = await getJson(dusk.url, `/api/code/running/${TRACE}?${at(END)}`);
    expect(one).toMatchObject({ state: 'ended', ended: { outcome: '500', failed: true, ageMs: 50_000 } });
    expect(one.looks.map((it: { frames: { own: boolean }[] }) => it.frames.findIndex(({ own }) => own))).toEqual([1, 1, 1, 1]);
    expect((await fetch(`${dusk.url}/api/code/running/${'1a'.repeat(16)}?${at(END)}`)).status).toBe(404);
  });
});

it('a request runs no more from the moment on at which its trace has ended, though it was reported a moment before', async () => {
  const traceId = '5e'.repeat(16) as Span['traceId'];
  const told = { 'lantern.trace_id': traceId, 'lantern.operation': 'PUT /ended' };
  await sendJson(dusk.url, '/v1/logs', logs('store', [look(10_000, 80, told), look(20_000, 88, told)]));
  const [span] = makeSpans({ id: 0, from: 0, to: 0, name: 'PUT /ended', service: 'store', kind: 'server' });
  const [start, end] = [END - 60_000, END - 60_000 + 24_000].map((ms) => BigInt(ms) * 1_000_000n);
  await sendSpans(dusk.url, [{ ...span, traceId, start, end }]);
  const runs = async (afterMs: number) => {
    const window = `from=${iso(TURN)}&to=${iso(END - 60_000 + afterMs)}&before=just`;
    const { places }: CodeRunning = await getJson(dusk.url, `/api/code/running?${window}`);
    const found = places.some(({ requests }) => requests.some((it) => it.traceId === traceId));
    // Now says the same of the same moment.
    const { inFlight }: Around = await getJson(dusk.url, `/api/now/around?${window.replace('&before=just', '')}`);
    expect(inFlight.oldest.some((it) => it.traceId === traceId)).toBe(found);
    return found;
  };
  expect(await runs(22_000)).toBe(true);
  expect(await runs(26_000)).toBe(false);
});

describe('probes', () => {
  const poll = (body: object) =>
    fetch(`${dusk.url}/v1/probes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const HELLO = { probe: 'probe-of-a-test', instances: [{ service: 'store', instance: 'store-1' }], can: ['look'] };
  const askFor = async (what: object) => {
    const answer = await fetch(`${dusk.url}/api/code/looks`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ service: 'store', instance: 'store-1', ...what }),
    });
    return answer.json();
  };

  it('are answered at once when there is something to do, and with nothing when not', async () => {
    expect(await (await poll({ ...HELLO, waitMs: 0 })).json()).toEqual({ commands: [] });
    const waiting = poll({ ...HELLO, waitMs: 20_000 });
    const asked = await until(
      () => askFor({ traceId: TRACE }),
      ({ is }) => is === 'asked',
    );
    const { commands } = await (await waiting).json();
    expect(commands).toMatchObject([{ id: asked.id, ask: 'look', service: 'store', instance: 'store-1', traceId: TRACE }]);
    expect(await askFor({ ask: 'heap' })).toMatchObject({ is: 'cannot' });
    expect(await askFor({ instance: 'store-2' })).toMatchObject({ is: 'no probe' });
  });

  it('are not given more to do than they can', async () => {
    const all = [];
    for (let n = 0; n < 60; n++) all.push((await askFor({})).is);
    expect(all.filter((is) => is === 'asked').length).toBe(50);
    expect(all.at(-1)).toBe('busy');
    expect((await (await poll({ ...HELLO, waitMs: 0 })).json()).commands.length).toBe(50);
  });

  it('are refused when they say nothing of themselves, or too much', async () => {
    expect((await poll({ probe: 'x', instances: [], can: [] })).status).toBe(400);
    expect((await poll({ ...HELLO, instances: Array.from({ length: 300 }, () => HELLO.instances[0]) })).status).toBe(400);
    expect((await poll({ ...HELLO, waitMs: 1e9 })).status).toBe(400);
  });
});
