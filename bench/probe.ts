import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:http';
import { report } from './measure.ts';

/** A service as many are: reads JSON, computes a little, waits for a timer and for another service, writes JSON. */
const PROGRAM = `
import { createServer, get } from 'node:http';
const rows = Array.from({ length: 200 }, (_, at) => ({ id: at, name: 'berth ' + at, free: at % 3 === 0 }));
const next = () => new Promise((done) => get(process.env.NEXT, (answer) => { answer.resume(); answer.on('end', done); }));
const server = createServer(async (request, response) => {
  const found = JSON.parse(JSON.stringify(rows)).filter((it) => it.free).sort((a, b) => b.id - a.id);
  await new Promise((done) => setTimeout(done, 1));
  await next();
  let sum = 0;
  for (let at = 0; at < Number(process.env.WORK); at++) sum += Math.sqrt(at);
  response.setHeader('content-type', 'application/json');
  response.end(JSON.stringify({ found, sum }));
});
server.listen(0, () => process.stdout.write(server.address().port + '\\n'));
process.on('message', () => process.send(process.cpuUsage()));
`;
/** How much is computed for a request: as good as nothing, and what takes some milliseconds. */
const WORKS = [20_000, 900_000];
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
    if (request.url === '/v1/probes') setTimeout(() => response.end('{"commands":[]}'), 5_000).unref();
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

async function compare(url: string, work: number, rounds: number): Promise<void> {
  const plain = await start(url, work, []);
  const probed = await start(url, work, ['--import', './collectors/node/register.mjs']);
  const cpu = { plain: [] as number[], probed: [] as number[] };
  for (let round = 0; round <= rounds; round++)
    for (const [name, program] of round % 2 === 0
      ? ([
          ['plain', plain],
          ['probed', probed],
        ] as const)
      : ([
          ['probed', probed],
          ['plain', plain],
        ] as const)) {
      const used = await load(program);
      // The first round is spent on compiling.
      if (round > 0) cpu[name].push(used);
    }
  plain.child.kill();
  probed.child.kill();
  const middle = (of: number[]) => of.sort((a, b) => a - b)[of.length >> 1];
  const [without, with_] = [middle(cpu.plain), middle(cpu.probed)];
  const each = without / REQUESTS;
  report(`${REQUESTS} requests of ${each.toFixed(2)} ms each, with the probe`, with_, 'without it', without);
  const more = (100 * (with_ / without - 1)).toFixed(1);
  const micros = ((1_000 * (with_ - without)) / REQUESTS).toFixed(0);
  process.stdout.write(`the probe takes ${more} % more processor time, ${micros} µs a request, its own thread included\n`);
}

interface Program {
  readonly child: ChildProcess;
  readonly url: string;
}

async function start(sink: string, work: number, more: string[]): Promise<Program> {
  const child = spawn(process.execPath, [...more, '--input-type=module', '--eval', PROGRAM], {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DUSK_URL: sink,
      NEXT: `${sink}/next`,
      WORK: String(work),
      DUSK_PROBE_PROFILE_EVERY_MS: '20000',
      DUSK_PROBE_PROFILE_MS: '2000',
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
