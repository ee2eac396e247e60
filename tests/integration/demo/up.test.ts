import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { freePort } from '../../../src/server/freePort.ts';
import { dataFolder, until } from '../../support/installation.ts';
import { makeSpan, makeSpans } from '../../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../../support/sending.ts';

const data = dataFolder();
afterAll(() => rmSync(data, { recursive: true, force: true }));

interface Run {
  readonly child: ChildProcess;
  out: string;
  err: string;
  readonly ended: Promise<number | null>;
}

function up(...args: string[]): Run {
  const child = spawn('./dusk', ['up', '--data', data, ...args], {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, DATABASE_URL: '' },
  });
  const run: Run = { child, out: '', err: '', ended: new Promise((resolve) => child.on('close', resolve)) };
  child.stdout.on('data', (text) => {
    run.out += text;
  });
  child.stderr.on('data', (text) => {
    run.err += text;
  });
  return run;
}

/** The first process below another whose command line has a name; undefined when there is none now. */
function below(pid: number, name: string): number | undefined {
  const read = (file: string) => (existsSync(file) ? readFileSync(file, 'utf8') : '');
  const children = read(`/proc/${pid}/task/${pid}/children`).trim().split(' ').filter(Boolean).map(Number);
  return (
    children.find((child) => read(`/proc/${child}/cmdline`).includes(name)) ??
    children.map((child) => below(child, name)).find((found) => found !== undefined)
  );
}

async function ready(run: Run): Promise<string> {
  await until(
    async () => run.out,
    (out) => out.endsWith('\n'),
    60,
  );
  return /^ready (http:\/\/127\.0\.0\.1:\d+)\n$/.exec(run.out)![1];
}

describe('./dusk up', () => {
  it('starts, keeps what it was sent over a restart, and leaves nothing running', async () => {
    const port = await freePort();
    const first = up('--no-demo', '--port', String(port));
    const url = await ready(first);
    expect(url).toBe(`http://127.0.0.1:${port}`);
    await sendSpans(url, makeSpans({ id: 0, from: 0, to: 5 }));

    const second = up('--no-demo');
    expect(await second.ended).toBe(1);
    expect(second.err).toContain(`already runs on ${data}: ${url}`);
    expect(second.out).toBe('');

    first.child.kill('SIGINT');
    expect(await first.ended).toBe(0);
    await expect(fetch(url)).rejects.toThrow();
    expect(existsSync(join(data, 'postgres', 'postmaster.pid'))).toBe(false);
    expect(existsSync(join(data, 'running.json'))).toBe(false);

    const again = up('--no-demo', '--port', String(port));
    expect((await getJson(await ready(again), '/api/health')).spans).toBe(1);

    // Killed without a chance to tidy up, it leaves a server behind, which the next start ends.
    again.child.kill('SIGKILL');
    await again.ended;
    const after = up('--no-demo', '--port', String(port));
    await until(
      async () => after.err + after.out,
      (text) => /ready|in use/.test(text),
      60,
    );
    if (!after.out) await after.ended;
    const last = after.out ? after : up('--no-demo', '--port', String(port));
    expect((await getJson(await ready(last), '/api/health')).spans).toBe(1);
    last.child.kill('SIGTERM');
    expect(await last.ended).toBe(0);
  });

  it('starts again what was killed, three times in a row too, with all that was acknowledged and nothing twice', async () => {
    const run = up('--no-demo');
    const url = await ready(run);
    const before = await getJson(url, '/api/health');
    let sent = before.spans;
    for (const name of ['bin/postgres', 'application.js', 'intakeProcess.js', 'analysisWorker.js', 'drawPages.js']) {
      // Three times, each as soon as it is there again.
      const killed: number[] = [];
      for (let time = 0; time < 3; time++) {
        const pid = await until(
          async () => below(run.child.pid!, name),
          (found) => found !== undefined && !killed.includes(found),
          30,
        );
        process.kill(pid!, 'SIGKILL');
        killed.push(pid!);
      }
      const isTaken = await until(
        () =>
          sendSpans(url, [makeSpan({ id: 1_000 + sent, from: 0, to: 5 })]).then(
            () => true,
            () => false,
          ),
        (it) => it,
        30,
      );
      if (isTaken) sent++;
      const { status } = await until(
        () => fetch(`${url}/api/health/ready`).catch(() => ({ status: 0 })),
        (answer) => answer.status === 200,
        30,
      );
      expect(status).toBe(200);
      expect((await getJson(url, '/api/health')).spans).toBe(sent);
    }
    expect(run.err).toContain('The application ended; starting it again in 1 s.');
    expect(run.err).toContain('PostgreSQL ended; starting it again in 1 s.');
    run.child.kill('SIGINT');
    expect(await run.ended).toBe(0);
  });

  it('throws data away only when it is sure', async () => {
    const unsure = up('--fresh', '--no-demo');
    expect(await unsure.ended).toBe(1);
    expect(unsure.err).toContain('say --yes too');
    const sure = up('--fresh', '--yes', '--no-demo');
    expect((await getJson(await ready(sure), '/api/health')).spans).toBe(0);
    sure.child.kill('SIGINT');
    await sure.ended;
  });

  it.each([
    [['--port', 'many'], '--port many is not a port'],
    [['--fast'], '--fast'],
  ])('says what is wrong with %j', async (args, words) => {
    const run = up(...args);
    expect(await run.ended).toBe(1);
    expect(run.err).toContain(words);
  });

  it('says that a port is taken', async () => {
    const { createServer } = await import('node:net');
    const taken = createServer();
    const port = await new Promise<number>((resolve) =>
      taken.listen(0, '127.0.0.1', () => resolve((taken.address() as { port: number }).port)),
    );
    const run = up('--no-demo', '--port', String(port));
    expect(await run.ended).toBe(1);
    expect(run.err).toContain(`port ${port} of 127.0.0.1 is in use; name another with --port`);
    taken.close();
  });
});
