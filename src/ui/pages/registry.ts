import {
  type Icon,
  IconAlignLeft,
  IconChartHistogram,
  IconCode,
  IconDatabase,
  IconInbox,
  IconNotebook,
  IconServer2,
  IconSunset2,
  IconTimeline,
  IconTopologyStar3,
  IconUser,
} from '@tabler/icons-react';

/** Keys of a page and what they do, as the list of keys shows them. */
type PageKeys = readonly (readonly [keys: string, what: string])[];

/** A page, as everything that leads to it or depends on which one is open needs to know it. */
export interface PageEntry {
  readonly path: string;
  readonly name: string;
  /** Of the rail; absent where the page is reached from another. */
  readonly icon?: Icon;
  /** Paths of further pages that the rail counts to it. */
  readonly also?: readonly string[];
  /** The letter that leads there after `g`. */
  readonly key?: string;
  /** What else people call it. */
  readonly words?: readonly string[];
  /** Parameters of the address that are the page's own: they stay while it is open, whatever becomes of the scope. */
  readonly parameters?: readonly string[];
  /** Its own keys, under a heading. */
  readonly keys?: readonly [heading: string, keys: PageKeys];
}

/** Every page. One is listed when it works. */
export const PAGES: readonly PageEntry[] = [
  { path: '/now', name: 'Now', icon: IconSunset2, key: 'n', words: ['home', 'overview', 'journeys', 'start'] },
  { path: '/now/services', name: 'Services' },
  { path: '/account', name: 'Your account', words: ['sign out', 'password', 'second factor', 'tokens', 'sessions'] },
  { path: '/people', name: 'People', words: ['accounts', 'roles', 'invite', 'users', 'audit'] },
  { path: '/intake/tokens', name: 'Tokens of senders', words: ['api key', 'quota', 'secret'] },
  { path: '/now/failures', name: 'Failures', key: 'f', words: ['errors', 'exceptions'], parameters: ['text'] },
  { path: '/now/incidents', name: 'Incidents', words: ['alerts', 'anomalies', 'rules', 'notifications'] },
  {
    path: '/map',
    name: 'Map',
    icon: IconTopologyStar3,
    also: ['/services/', '/peers/'],
    key: 'm',
    words: ['topology', 'dependencies'],
    parameters: [
      'as',
      'level',
      'of',
      'clientErrors',
      'group',
      'open',
      'around',
      'up',
      'down',
      'least',
      'changed',
      'node',
      'trace',
      'older',
      'newer',
      'inner',
      'marked',
    ],
    keys: [
      'On the map',
      [
        ['→ ←', 'along the busiest call, to the busiest caller'],
        ['↑ ↓', 'to the next plate above, below'],
        ['Enter', 'open the page of it'],
        ['f', 'find a service'],
        ['t', 'the same as a table'],
      ],
    ],
  },
  {
    path: '/traces',
    name: 'Traces',
    icon: IconTimeline,
    key: 't',
    words: ['requests', 'spans', 'search'],
    parameters: ['as', 'by', 'with', 'span'],
    keys: [
      'In a trace',
      [
        ['j k ↓ ↑', 'next, previous row'],
        ['→ ←', 'open, close; or to the child, the parent'],
        [', .', 'back, on along the critical path'],
        ['f', 'next failing span'],
        ['s', 'search in it; in the list of traces, the line of text'],
        ['n N', 'next, previous span that was found'],
        ['z 0', 'zoom to the span, to the whole'],
        ['PageUp PageDown', 'fifteen rows back, on'],
        ['Home End', 'first, last row'],
        ['Esc', 'back to the list'],
      ],
    ],
  },
  {
    path: '/contrast',
    name: 'Contrast',
    icon: IconChartHistogram,
    key: 'x',
    words: ['compare', 'explain', 'why', 'difference', 'attributes', 'versions'],
    parameters: ['how', 'over', 'a', 'b', 'aFrom', 'aTo', 'outcome', 'swap', 'peel', 'kept'],
    keys: [
      'In a contrast',
      [
        ['j k ↓ ↑', 'next, previous hypothesis'],
        ['Enter', 'peel it off what is left'],
        ['Backspace', 'lay the last one back'],
        ['a', 'keep this stack, begin another'],
        ['x', 'A and B change places'],
      ],
    ],
  },
  {
    path: '/databases',
    name: 'Databases',
    icon: IconDatabase,
    also: ['/databases/'],
    key: 'd',
    words: ['sessions', 'locks', 'blocking', 'waits', 'statements', 'sql', 'load', 'plan bench', 'explain', 'index'],
    parameters: ['server', 'hide', 'trail', 'by', 'at', 'service', 'pool', 'tried', 'target', 'of', 'statement', 'sql', 'way'],
    keys: [
      'In the databases',
      [
        ['j k ↓ ↑', 'next, previous server'],
        ['Enter', 'open the server'],
        ['← →', 'on a server: one second back, on; with Shift a minute'],
        ['Backspace', 'one step back in the chosen parts of the load'],
        ['Esc', 'back to the moment with most blocked'],
        ['← →', 'on a pool: one connection less, more'],
        ['j k', 'on the plan bench: next, previous way'],
      ],
    ],
  },
  {
    path: '/code',
    name: 'Code',
    icon: IconCode,
    also: ['/code/'],
    key: 'c',
    words: [
      'running requests',
      'in flight',
      'profile',
      'flame graph',
      'cpu',
      'stack',
      'findings',
      'habits',
      'source',
      'allocation',
    ],
    parameters: [
      'service',
      'type',
      'version',
      'against',
      'instance',
      'operation',
      'span',
      'direction',
      'by',
      'function',
      'find',
      'request',
      'of',
      'finding',
    ],
    keys: [
      'In the code',
      [
        ['f', 'find a function'],
        ['← ↑ ↓ →', 'in the flame: to the next box'],
        ['Enter Esc', 'in the flame: make a box as wide as the picture, back'],
        ['space', 'in flight: pause, go on'],
        ['s', 'in flight: look now'],
        ['j k ↓ ↑', 'next, previous request or finding'],
      ],
    ],
  },
  {
    path: '/visitors',
    name: 'Visitors',
    icon: IconUser,
    also: ['/visitors/'],
    key: 'v',
    words: [
      'browser',
      'real users',
      'sessions',
      'visits',
      'pages',
      'web vitals',
      'funnel',
      'steps',
      'crashes',
      'third parties',
      'apdex',
      'dead button',
    ],
    parameters: ['app', 'who', 'target', 'page', 'order', 'steps', 'within', 'per', 'step', 'group', 'check'],
    keys: [
      'Among the visitors',
      [
        ['j k ↓ ↑', 'next, previous page, visit or step'],
        ['Enter', 'open the visit'],
        ['Esc', 'back to the worst'],
      ],
    ],
  },
  {
    path: '/machines',
    name: 'Machines',
    icon: IconServer2,
    also: ['/machines/'],
    key: 'h',
    words: [
      'hosts',
      'layers',
      'pods',
      'containers',
      'virtual machines',
      'cpu',
      'memory',
      'disk',
      'network',
      'restarts',
      'kubernetes',
      'images',
      'vulnerabilities',
      'reserved',
      'capacity',
    ],
    parameters: ['layersOf', 'at', 'machine', 'object', 'pattern', 'label', 'by', 'find', 'kind', 'fields', 'weakness'],
    keys: [
      'In the machines',
      [
        ['← →', 'the moment a minute back, on'],
        ['Esc', 'back to the worst moment'],
        ['j k ↓ ↑', 'next, previous row'],
        ['Enter', 'open the row'],
        ['f', 'find an object'],
      ],
    ],
  },
  {
    path: '/logs/stitched',
    name: 'Stitched lines',
    words: ['loom', 'key', 'order', 'late', 'missing', 'steps'],
    parameters: ['key', 'step', 'chosen', 'group'],
  },
  {
    path: '/logs',
    name: 'Logs',
    icon: IconAlignLeft,
    also: ['/logs/'],
    key: 'l',
    words: ['lines', 'messages', 'text', 'shapes', 'tail'],
    parameters: ['text', 'severity', 'shape', 'without', 'as', 'order', 'sort', 'open', 'line', 'wrap', 'columns'],
    keys: [
      'In the logs',
      [
        ['s', 'look for text'],
        ['1 2 3 0', 'errors; and warnings; and info; all'],
        ['n', 'next message shape'],
        ['e', 'not this shape'],
        ['l', 'shapes, lines'],
        ['j k ↓ ↑', 'next, previous line or shape'],
        ['w', 'wrap lines'],
        ['f', 'follow what comes, pause'],
      ],
    ],
  },
  {
    path: '/casebook',
    name: 'Casebook',
    icon: IconNotebook,
    also: ['/casebook/'],
    key: 'k',
    words: ['cases', 'investigation', 'hand-over', 'notes', 'pins'],
    parameters: ['text'],
    keys: [
      'In a case',
      [
        ['w', 'write an entry of the log'],
        ['u', 'take back what was removed or moved here last'],
      ],
    ],
  },
  { path: '/intake', name: 'Intake', icon: IconInbox, key: 'i', words: ['storage', 'retention', 'data'] },
  { path: '/intake/connect', name: 'Connect a system', words: ['sdk', 'otlp', 'setup'] },
  { path: '/intake/masking', name: 'Masking', words: ['privacy'] },
];

/** The page that a letter leads to after `g`. */
export function pageOfKey(key: string): PageEntry | undefined {
  return PAGES.find((it) => it.key === key);
}

/** Parameters that are some page's own. */
export const PAGE_PARAMETERS: readonly string[] = [...new Set(PAGES.flatMap(({ parameters = [] }) => parameters))];
