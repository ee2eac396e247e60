import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:http';
import { setTimeout } from 'node:timers/promises';
import { report } from './support/measure.ts';

/** A service as many are: reads JSON, computes a little, waits for a timer and for another service, writes JSON. */
const PROGRAM = `
import { createServer, get } from 'node:http';
const rows = Array.from({ length: 200 }, (_, at) => ({ id: at, name: 'berth ' + at, free: at % 3 === 0 }));
const work = Number(process.env.WORK);
const next = () => new Promise((done) => get(process.env.NEXT, (answer) => { answer.resume(); answer.on('end', done); }));
const server = createServer(async (request, response) => {
  const found = JSON.parse(JSON.stringify(rows)).filter((it) => it.free).sort((a, b) => b.id - a.id);
  await new Promise((done) => setTimeout(done, 1));
  await next();
  let sum = 0;
  for (let at = 0; at < work; at++) sum += Math.sqrt(at);
  response.setHeader('content-type', 'application/json');
  response.end(JSON.stringify({ found, sum }));
});
server.listen(0, () => process.stdout.write(server.address().port + '\\n'));
process.on('message', () => process.send(process.cpuUsage()));
`;
/** How much is computed for a request: as good as nothing, and what takes some milliseconds. */
const WORKS = [40_000, 1_000_000];
const REQUESTS = 800;
const AT_ONCE = 8;

/**
 * What the probe costs a program: the processor time of so many requests with it, against the same program without, by turns.
 *
 * @param rounds of each
 */
export async function benchProbe(rounds = 7): Promise<void> {
  // Stands for the application and for the service behind: takes whatever comes.
  const sink = createServer((request, response) => {
    request.resume();
    if (request.url === '/v1/probes') setTimeout(5_000).then(() => response.end('{"commands":[]}'));
    else response.end('{}');
  });
  sink.listen(0);
  await once(sink, 'listening');
  const { port } = sink.address() as { port: number };
  const url = `http://127.0.0.1:${port}`;
  for (const work of WORKS) await compare(url, work, rounds);
  sink.closeAllConnections();
  sink.close();
}

/** What part of the time a profile is taken by itself, with the usual settings: ten seconds of 120. */
const PROFILED = 10 / 120;

async function compare(url: string, work: number, rounds: number): Promise<void> {
  const probe = ['--import', './collectors/node/register.mjs'];
  const never = { DUSK_PROBE_PROFILE_EVERY_MS: '0' };
  const always = { DUSK_PROBE_PROFILE_EVERY_MS: '10050', DUSK_PROBE_PROFILE_MS: '10000' };
  const programs = [await start(url, work, [], {}), await start(url, work, probe, never), await start(url, work, probe, always)];
  const cpu: number[][] = programs.map(() => []);
  // The first profile begins a quarter of its turn after the program.
  await setTimeout(3_000);
  for (let round = 0; round <= rounds; round++)
    for (const at of round % 2 === 0 ? [0, 1, 2] : [2, 1, 0]) {
      const used = await load(programs[at]);
      // The first round is spent on compiling.
      if (round > 0) cpu[at].push(used);
    }
  for (const { child } of programs) child.kill();
  const [without, idle, profiled] = cpu.map((of) => of.sort((a, b) => a - b)[of.length >> 1]);
  report(`${REQUESTS} requests of ${(without / REQUESTS).toFixed(2)} ms, with the probe`, idle, 'without it', without);
  report('the same while a profile is taken', profiled, 'without it', without);
  const usual = idle + PROFILED * (profiled - idle);
  const more = (100 * (usual / without - 1)).toFixed(1);
  const micros = ((1_000 * (usual - without)) / REQUESTS).toFixed(0);
  process.stdout.write(
    `with the usual settings ${more} % more processor time, ${micros} µs a request, the probe's thread included\n`,
  );
}

interface Program {
  readonly child: ChildProcess;
  readonly url: string;
}

async function start(sink: string, work: number, more: string[], settings: Record<string, string>): Promise<Program> {
  const child = spawn(process.execPath, [...more, '--input-type=module', '--eval', PROGRAM], {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DUSK_URL: sink,
      NEXT: `${sink}/next`,
      WORK: String(work),
      ...settings,
    },
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  });
  const [port] = await once(child.stdout!, 'data');
  return { child, url: `http://127.0.0.1:${String(port).trim()}` };
}

/** Milliseconds of the processor that a program takes for the requests of a round. */
async function load({ child, url }: Program): Promise<number> {
  const before = await used(child);
  let left = REQUESTS;
  const client = async () => {
    while (left-- > 0) await (await fetch(url)).arrayBuffer();
  };
  await Promise.all(Array.from({ length: AT_ONCE }, client));
  return (await used(child)) - before;
}

async function used(child: ChildProcess): Promise<number> {
  child.send('');
  const [{ user, system }] = (await once(child, 'message')) as [NodeJS.CpuUsage];
  return (user + system) / 1_000;
}
