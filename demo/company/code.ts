import type { Frame } from '../../src/core/profile/stackSample.ts';
import type { ServiceForm } from './services.ts';

type Language = ServiceForm['language'];

/** A place in the code where a step computes, the innermost frame first, by how much of the step's time it takes. */
type Leaf = readonly [weight: number, ...frames: readonly string[]];

/** How each language serves a request: frames of its runtime and libraries, the innermost first. */
const LIBRARY: Readonly<Record<Language, readonly string[]>> = {
  java: [
    'routing.Dispatcher.invoke routing/Dispatcher.java:214',
    'routing.FilterChain.proceed routing/FilterChain.java:88',
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
    'handle routing/lib/layer.js:95',
    'next routing/lib/route.js:144',
    'parserOnIncoming node:_http_server:1140',
    'processTicksAndRejections node:internal/process/task_queues:95',
  ],
  python: ['dispatch routing/views.py:88', 'handle wsgi/worker.py:139', 'run threading.py:953', '_bootstrap threading.py:1002'],
};

/** Where the computing of each step happens. */
const LEAVES: Readonly<Record<string, Readonly<Record<string, readonly Leaf[]>>>> = {
  berths: {
    'layout.solve': [
      [
        70,
        'reach/berths/layout.overlaps layout/solve.go:58',
        'reach/berths/layout.(*Solver).fits layout/solve.go:41',
        'reach/berths/layout.(*Solver).Solve layout/solve.go:24',
      ],
      [20, 'reach/berths/layout.(*Solver).fits layout/solve.go:44', 'reach/berths/layout.(*Solver).Solve layout/solve.go:24'],
      [10, 'sort.Slice sort/slice.go:29', 'reach/berths/layout.(*Solver).Solve layout/solve.go:19'],
    ],
  },
  passes: {
    'pass.render': [
      [34, 'String.concat node:internal/string:0', 'barcodeRow src/render.js:31', 'renderPass src/render.js:18'],
      [30, 'barcodeRow src/render.js:29', 'renderPass src/render.js:18'],
      [22, 'deflate node:zlib:790', 'encodeImage src/image.js:44', 'renderPass src/render.js:22'],
      [14, 'JSON.stringify node:internal/json:0', 'debug src/log.js:12', 'renderPass src/render.js:20'],
    ],
  },
  manifests: {
    'manifest.build': [
      [
        60,
        'reach.manifests.PassengerList.merge reach/manifests/PassengerList.java:72',
        'reach.manifests.ManifestService.build reach/manifests/ManifestService.java:51',
      ],
      [
        40,
        'java.util.TimSort.sort java/util/TimSort.java:234',
        'reach.manifests.ManifestService.build reach/manifests/ManifestService.java:55',
      ],
    ],
  },
  sailings: {
    'timetable.assemble': [
      [
        55,
        'reach.sailings.Timetable.join reach/sailings/Timetable.java:93',
        'reach.sailings.SearchService.search reach/sailings/SearchService.java:47',
      ],
      [
        45,
        'java.time.ZonedDateTime.ofInstant java/time/ZonedDateTime.java:409',
        'reach.sailings.Timetable.localTimes reach/sailings/Timetable.java:118',
        'reach.sailings.SearchService.search reach/sailings/SearchService.java:49',
      ],
    ],
  },
  accounts: {
    'secret.compare': [
      [
        100,
        'crypto/sha256.block crypto/sha256/block.go:83',
        'reach/accounts/signin.stretch signin/verify.go:64',
        'reach/accounts/signin.(*Service).Verify signin/verify.go:31',
      ],
    ],
  },
  fares: {
    'price.rules': [
      [70, 'applies src/rules.js:52', 'priceOf src/rules.js:24'],
      [30, 'Array.sort node:internal/array:0', 'priceOf src/rules.js:21'],
    ],
  },
  crew: {
    'roster.build': [
      [65, 'crew.rosters.assign_watch crew/rosters.py:71', 'crew.rosters.build_roster crew/rosters.py:38'],
      [35, 'crew.models.member_from_row crew/models.py:29', 'crew.rosters.build_roster crew/rosters.py:31'],
    ],
  },
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
/** What a thread does while it waits. */
const WAITS: Readonly<Record<string, string>> = {
  pool: 'Pool.acquire dbpool/pool:118',
  database: 'Connection.receive dbpool/wire:77',
};

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
const camel = (text: string) => text.replace(/\W+(\w)/g, (_, letter: string) => letter.toUpperCase());

export interface WeighedStack {
  readonly weight: number;
  readonly frames: readonly Frame[];
}

const known = new Map<string, readonly WeighedStack[]>();

/** Stacks in which a step of a service computes, by weight. */
export function stacksOf(service: string, language: Language, step: string): readonly WeighedStack[] {
  const key = `${service} ${step}`;
  let stacks = known.get(key);
  if (!stacks) {
    stacks = madeStacks(service, language, step);
    known.set(key, stacks);
  }
  return stacks;
}

function madeStacks(service: string, language: Language, step: string): readonly WeighedStack[] {
  const handler = `${OWN_NAME[language](service, 'handle')} ${OWN_FILE[language](service)}`;
  const leaves: readonly Leaf[] = LEAVES[service]?.[step] ?? [
    [100, `${OWN_NAME[language](service, step)} ${OWN_FILE[language](service).replace(/\d+$/, '84')}`],
  ];
  return leaves.map(([weight, ...frames]) => ({ weight, frames: [...frames, handler, ...LIBRARY[language]].map(frameOf) }));
}

/** The stack of a thread that waits: there is one. */
export function waitingStacks(service: string, language: Language, what: string): readonly WeighedStack[] {
  const key = `${service} waits for ${what}`;
  let stacks = known.get(key);
  if (!stacks) {
    stacks = [{ weight: 1, frames: waitingFrames(service, language, what) }];
    known.set(key, stacks);
  }
  return stacks;
}

function waitingFrames(service: string, language: Language, what: string): readonly Frame[] {
  return [WAITS[what], `${OWN_NAME[language](service, 'handle')} ${OWN_FILE[language](service)}`, ...LIBRARY[language]].map(
    frameOf,
  );
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
