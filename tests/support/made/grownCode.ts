import { type ProfileSource, toOtlpProfiles } from '../../../src/formats/profile/tables.ts';
import { sendJson, sendSpans } from '../sending.ts';
import { event, logs } from './otlpSignals.ts';
import { EPOCH, makeSpans } from './traceMaker.ts';

/* A service whose second version builds text in a loop, five quiet ones, and a request that hangs. */

export const MINUTE = 60_000;
export const END = Number(EPOCH / 1_000_000n) + 60 * MINUTE;
export const TURN = END - 20 * MINUTE;
export const TRACE = '5f'.repeat(16);
export const iso = (ms: number) => new Date(ms).toISOString();
export const WINDOW = `from=${iso(TURN)}&to=${iso(END)}&before=${encodeURIComponent(`${iso(TURN - 20 * MINUTE)}/${iso(TURN)}`)}`;
export const TICK = 10_000_000;

export const SOURCES = {
  '1.0.0': 'export function collect(items) {\n  return items.map((it) => it.name).join();\n}\n',
  '2.0.0': "export function collect(items) {\n  let text = '';\n  for (const it of items) text += it.name;\n  return text;\n}\n",
};

const frame = (name: string, line: number, file = 'src/names.js') => ({ name, file, line });
const serve = frame('onRequest', 5, 'node:http');

/** Five minutes of samples of a service: so many in `collect`, so many elsewhere. */
function profile(atMs: number, hot: number, cold: number, line: number): ProfileSource {
  return {
    type: 'cpu',
    unit: 'nanoseconds',
    period: TICK,
    time: BigInt(atMs) * 1_000_000n,
    durationNs: BigInt(5 * MINUTE) * 1_000_000n,
    samples: [
      { frames: [frame('collect', line), frame('handle', 12, 'src/api.js'), serve], value: hot * TICK, operation: 'GET /names' },
      { frames: [frame('other', 3, 'src/other.js'), serve], value: cold * TICK, operation: 'GET /other' },
    ],
  };
}

const profiles = (service: string, version: string, list: readonly ProfileSource[]) =>
  toOtlpProfiles([
    { resource: { 'service.name': service, 'service.version': version, 'service.instance.id': `${service}-1` }, profiles: list },
  ]);

export const KEY = 'text in a loop|ferries|collect|src/names.js';

/** What is seen of a running request at an age. */
export const look = (ageMs: number, line: number, more: Record<string, unknown> = {}) =>
  event('lantern.request.in_flight', END - 60_000 + ageMs, {
    'lantern.trace_id': TRACE,
    'lantern.operation': 'PUT /bookings',
    'lantern.age_ms': ageMs,
    'lantern.wait': 'database',
    'thread.name': 'worker 3',
    'db.query.text': 'UPDATE booking SET sailing_id = $1',
    'code.stacktrace': `read node_modules/driver/wire.js:7\nchange src/store.js:${line}\nhandle src/api.js:12`,
    ...more,
  });

export async function sendGrownCode(url: string): Promise<void> {
  await sendSpans(url, makeSpans({ id: 0, from: 0, to: 9_000_000, kind: 'server' }));
  const before = [0, 1, 2, 3].map((n) => profile(TURN - (20 - 5 * n) * MINUTE, 20, 180, 2));
  const lit = [0, 1, 2, 3].map((n) => profile(TURN + 5 * n * MINUTE, 300, 100, 3));
  await sendJson(url, '/v1development/profiles', profiles('ferries', '1.0.0', before));
  await sendJson(url, '/v1development/profiles', profiles('ferries', '2.0.0', lit));
  for (const n of [1, 2, 3, 4, 5])
    await sendJson(
      url,
      '/v1development/profiles',
      profiles(
        `quiet-${n}`,
        '1',
        [...before, ...lit].map((it) => ({ ...it, samples: it.samples.slice(1) })),
      ),
    );
  const sources = Object.entries(SOURCES).map(([version, text]) =>
    event('lantern.inventory', TURN, {
      'lantern.object.kind': 'source',
      'lantern.object.id': `ferries/src/names.js@${version}`,
      'lantern.object.name': 'src/names.js',
      'lantern.object.part_of': 'deployment ferries',
      'lantern.object.specification': text,
      'lantern.object.detail': { version },
    }),
  );
  await sendJson(url, '/v1/logs', logs('inventory', sources));
}
