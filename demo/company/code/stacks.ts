import type { Frame } from '../../../src/core/profile/stackSample.ts';
import type { ServiceForm } from '../services.ts';
import { CALLERS, type Leaf, leavesOf } from './leaves.ts';

type Language = ServiceForm['language'];

/** How each language serves a request: frames of its runtime and libraries, the innermost first. */
const LIBRARY: Readonly<Record<Language, readonly string[]>> = {
  java: [
    'io.routing.Dispatcher.invoke io/routing/Dispatcher.java:214',
    'io.routing.FilterChain.proceed io/routing/FilterChain.java:88',
    'java.util.concurrent.ThreadPoolExecutor.runWorker java/util/concurrent/ThreadPoolExecutor.java:1136',
    'java.lang.Thread.run java/lang/Thread.java:840',
  ],
  go: [
    'net/http.HandlerFunc.ServeHTTP net/http/server.go:2136',
    'net/http.(*ServeMux).ServeHTTP net/http/server.go:2514',
    'net/http.(*conn).serve net/http/server.go:2009',
    'runtime.goexit runtime/asm_amd64.s:1650',
  ],
  nodejs: [
    'handle node_modules/routing/lib/layer.js:95',
    'next node_modules/routing/lib/route.js:144',
    'parserOnIncoming node:_http_server:1140',
    'processTicksAndRejections node:internal/process/task_queues:95',
  ],
  python: [
    'dispatch site-packages/routing/views.py:88',
    'handle site-packages/wsgi/worker.py:139',
    'run threading.py:953',
    '_bootstrap threading.py:1002',
  ],
};

const OWN_FILE: Readonly<Record<Language, (service: string) => string>> = {
  java: (service) => `reach/${service}/api/${capital(service)}Resource.java:39`,
  go: () => 'api/handlers.go:57',
  nodejs: () => 'src/server.js:63',
  python: (service) => `${service}/api.py:48`,
};
const OWN_NAME: Readonly<Record<Language, (service: string, step: string) => string>> = {
  java: (service, step) => `reach.${service}.api.${capital(service)}Resource.${camel(step)}`,
  go: (service, step) => `reach/${service}/api.(*Server).${capital(camel(step))}`,
  nodejs: (_, step) => camel(step),
  python: (service, step) => `${service}.api.${step.replace(/\W+/g, '_')}`,
};
/** What a thread does while it waits, the innermost frame first, by language and by what it waits for. */
const WAITS: Readonly<Record<Language, Readonly<Record<Wait, readonly string[]>>>> = {
  java: {
    pool: ['jdk.internal.misc.Unsafe.park jdk/internal/misc/Unsafe.java:0', 'io.dbpool.Pool.acquire io/dbpool/Pool.java:118'],
    database: [
      'java.net.SocketInputStream.read java/net/SocketInputStream.java:168',
      'io.dbdriver.Wire.receive io/dbdriver/Wire.java:77',
      'io.dbdriver.Statement.execute io/dbdriver/Statement.java:203',
    ],
    http: [
      'java.net.SocketInputStream.read java/net/SocketInputStream.java:168',
      'io.httpclient.Exchange.send io/httpclient/Exchange.java:91',
    ],
  },
  go: {
    pool: ['runtime.gopark runtime/proc.go:398', 'vendor/dbpool.(*Pool).Acquire vendor/dbpool/pool.go:118'],
    database: [
      'internal/poll.runtime_pollWait runtime/netpoll.go:343',
      'net.(*conn).Read net/net.go:179',
      'vendor/dbpool.(*Conn).Receive vendor/dbpool/wire.go:77',
    ],
    http: [
      'runtime.gopark runtime/proc.go:398',
      'net/http.(*persistConn).roundTrip net/http/transport.go:2672',
      'net/http.(*Client).Do net/http/client.go:585',
    ],
  },
  nodejs: {
    pool: ['acquire node_modules/dbpool/pool.js:118'],
    database: ['query node_modules/dbpool/client.js:77'],
    http: ['fetch node:internal/deps/undici/undici:13392'],
  },
  python: {
    pool: ['wait threading.py:331', 'acquire site-packages/dbpool/pool.py:118'],
    database: [
      'recv_into socket.py:706',
      'receive site-packages/dbpool/wire.py:77',
      'execute site-packages/dbpool/cursor.py:148',
    ],
    http: ['recv_into socket.py:706', 'getresponse http/client.py:1390', 'send site-packages/httpkit/session.py:86'],
  },
};
/** What a request can wait for outside of its service. */
export type Wait = 'pool' | 'database' | 'http';

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
const camel = (text: string) => text.replace(/\W+(\w)/g, (_, letter: string) => letter.toUpperCase());

export interface WeighedStack {
  readonly weight: number;
  readonly frames: readonly Frame[];
}

const known = new Map<string, readonly WeighedStack[]>();

function remembered(key: string, make: () => readonly WeighedStack[]): readonly WeighedStack[] {
  let stacks = known.get(key);
  if (!stacks) {
    stacks = make();
    known.set(key, stacks);
  }
  return stacks;
}

/** A service as it runs. */
interface Running {
  readonly service: string;
  readonly language: Language;
  readonly version: string;
}

/** Stacks in which a step of a service computes, by weight. */
export function stacksOf({ service, language, version }: Running, step: string): readonly WeighedStack[] {
  return remembered(`${service} ${version} ${step}`, () => {
    const leaves: readonly Leaf[] = leavesOf(service, step, version) ?? [
      [100, `${OWN_NAME[language](service, step)} ${OWN_FILE[language](service).replace(/\d+$/, '84')}`],
    ];
    return leaves.map(([weight, ...frames]) => ({ weight, frames: [...frames, ...entryOf(service, language)].map(frameOf) }));
  });
}

/** The stack of a thread that waits: there is one. @param whom the statement or the service that it waits for */
export function waitingStacks({ service, language }: Running, wait: Wait, whom: string): readonly WeighedStack[] {
  const callers = CALLERS[service]?.[wait === 'pool' ? 'pool' : whom] ?? [
    `${OWN_NAME[language](service, CALLS[wait])} ${OWN_FILE[language](service).replace(/\d+$/, LINES[wait])}`,
  ];
  return remembered(`${service} ${wait} ${callers[0]}`, () => [
    { weight: 1, frames: [...WAITS[language][wait], ...callers, ...entryOf(service, language)].map(frameOf) },
  ]);
}

const CALLS: Readonly<Record<Wait, string>> = { pool: 'open', database: 'load', http: 'ask' };
const LINES: Readonly<Record<Wait, string>> = { pool: '112', database: '128', http: '141' };

/** The outer frames of every request. */
function entryOf(service: string, language: Language): readonly string[] {
  return [`${OWN_NAME[language](service, 'handle')} ${OWN_FILE[language](service)}`, ...LIBRARY[language]];
}

function frameOf(text: string): Frame {
  const at = text.lastIndexOf(' ');
  const colon = text.lastIndexOf(':');
  return { name: text.slice(0, at), file: text.slice(at + 1, colon), line: Number(text.slice(colon + 1)) };
}

/** A stack as the runtime of a language prints it with an exception. */
export function printedStack(language: Language, type: string, message: string, frames: readonly Frame[]): string {
  const lines = frames.map(({ name, file, line }) => {
    if (language === 'java') return `\tat ${name}(${file.slice(file.lastIndexOf('/') + 1)}:${line})`;
    if (language === 'go') return `${name}(...)\n\t/src/${file}:${line}`;
    if (language === 'nodejs') return `    at ${name} (${file.startsWith('node:') ? file : `/app/${file}`}:${line}:17)`;
    return `  File "/app/${file}", line ${line}, in ${name.slice(name.lastIndexOf('.') + 1)}`;
  });
  if (language === 'python') return `Traceback (most recent call last):\n${lines.reverse().join('\n')}\n${type}: ${message}`;
  if (language === 'go') return `${type}: ${message}\n\ngoroutine 1 [running]:\n${lines.join('\n')}`;
  return `${type}: ${message}\n${lines.join('\n')}`;
}
