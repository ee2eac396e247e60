import { isOwnFrame } from '../profile/ownFrame.ts';
import type { Frame } from '../profile/stackSample.ts';
import type { HabitId } from './habits.ts';
import type { FileFacts, LineFacts, Mark } from './lineFacts.ts';

/** A habit that a stack shows, and where in own code. */
export interface Match {
  readonly habit: HabitId;
  readonly place: Frame;
  /** Whether the source was read (by its syntax or its text), or only names of frames tell. */
  readonly by: 'syntax' | 'text' | 'names';
}

/** What is known of a frame's line; undefined where its source is not known. */
export type FactsOf = (frame: Frame) => KnownLine | undefined;

export interface KnownLine {
  readonly facts: LineFacts;
  readonly by: 'syntax' | 'text';
  /** All lines of the file. */
  readonly file: FileFacts;
}

/** Names of library frames that tell a habit. In the order in which they are asked. */
const NAMES: readonly (readonly [habit: HabitId, pattern: RegExp, inLoop: boolean])[] = [
  ['garbage collection', /^\(garbage collector\)|gcBgMarkWorker|runtime\.gc[A-Z]|gcDrain|G1 |GC Thread/, false],
  ['blocking call', /^(?:\w+\.)?(?:\w+Sync)$/, false],
  [
    'lock contention',
    /Unsafe\.park|LockSupport\.park|ReentrantLock\.lock|sync\.\(\*(?:RW)?Mutex\)\.Lock|semacquire|lock\.acquire|Atomics\.wait/,
    false,
  ],
  ['exceptions as control flow', /fillInStackTrace|captureStackTrace|prepareStackTrace|runtime\.gopanic/, false],
  ['pattern compiled again', /Pattern\.compile|regexp\.(?:Must)?Compile|re\._?compile/, false],
  [
    'serialize in a loop',
    /JSON\.(?:parse|stringify)|^(?:parse|stringify)$|json\.(?:dumps|loads|Marshal|Unmarshal)|ObjectMapper/,
    true,
  ],
  ['text in a loop', /concatstrings|StringConcatHelper|String\.concat|^concat$/, true],
  [
    'sort or search in a loop',
    /TimSort|sort\.(?:Slice|Sort|pdqsort)|Array\.sort|Collections\.sort|^(?:sort|indexOf|includes|find|findIndex)$/,
    true,
  ],
  ['list copied', /Arrays\.copyOf|runtime\.growslice|deepcopy|^slice$|^from$/, true],
];

const LOGGING_NAME = /^(?:console\.)?(?:debug|trace)$|Logger\.(?:debug|trace)|logging\.debug/i;
const LOGGING_FILE = /(?:^|\/)(?:log|logger|logging)\.\w+$/;
/** Waiting for a connection is told on the page of pools. */
const POOL = /pool/i;

/** What of a line makes a habit, when it stands in a loop. In order: the more exact before the more general. */
const MARKS_IN_LOOPS: readonly (readonly [mark: Mark, habit: HabitId])[] = [
  ['append text', 'text in a loop'],
  ['compile pattern', 'pattern compiled again'],
  ['log', 'unread logging'],
  ['serialize', 'serialize in a loop'],
  ['sort', 'sort or search in a loop'],
  ['search', 'sort or search in a loop'],
  ['copy list', 'list copied'],
  ['throw', 'exceptions as control flow'],
];

/** How habits of a stack are judged. */
export interface MatchRules {
  readonly factsOf: FactsOf;
  readonly isOwn?: (frame: Frame) => boolean;
}

/**
 * The habit that a stack shows; undefined for none. A stack has one at most: names of libraries below the own code first, then what its line
 * does in a loop, then loops in loops over the same list.
 *
 * @param frames the innermost first
 */
export function matchStack(frames: readonly Frame[], { factsOf, isOwn = isOwnFrame }: MatchRules): Match | undefined {
  const first = frames.findIndex(isOwn);
  if (first < 0) return undefined;
  const below = frames.slice(0, first);
  const own = frames.filter(isOwn).map((frame) => ({ frame, known: factsOf(frame) }));
  if (below.length > 0) own[0] = callSite(own[0], below);
  const place = own[0].frame;
  const loops = own.flatMap(({ known }) => known?.facts.loops ?? []);
  const known = own[0].known;
  const logging = loggingPlace(frames, isOwn);
  if (logging) return { habit: 'unread logging', place: logging, by: factsOf(logging)?.by ?? 'names' };
  const isPool = below.some(({ name, file }) => POOL.test(name) || POOL.test(file));
  for (const [habit, pattern, inLoop] of NAMES) {
    if (!below.some(({ name }) => pattern.test(name)) || (habit === 'lock contention' && isPool)) continue;
    // Only the source tells loops: done once, it is as it should be.
    if (inLoop && loops.length === 0) continue;
    return { habit, place, by: known?.by ?? 'names' };
  }
  if (!known) return undefined;
  if (known.facts.marks.has('blocking call')) return { habit: 'blocking call', place, by: known.by };
  if (loops.length === 0) return undefined;
  for (const [mark, habit] of MARKS_IN_LOOPS) if (known.facts.marks.has(mark)) return { habit, place, by: known.by };
  if (known.facts.marks.has('query') || below.some(({ name }) => /receive|query|execute/i.test(name)))
    return below.length > 0 ? { habit: 'many small queries', place, by: known.by } : undefined;
  return eachWithEach(own);
}

/** Marks of a line that calls a library function of such a name. */
const CALL_MARKS: readonly (readonly [pattern: RegExp, mark: Mark])[] = [
  [/Sync$/, 'blocking call'],
  [/^(?:parse|stringify)$|JSON\./, 'serialize'],
  [/^(?:sort|toSorted)$/, 'sort'],
  [/^(?:indexOf|lastIndexOf|includes|find|findIndex)$/, 'search'],
  [/^(?:slice|concat|from)$/, 'copy list'],
  [/RegExp/, 'compile pattern'],
  [/^(?:log|debug|trace|info)$/, 'log'],
];

type OwnFrame = { readonly frame: Frame; readonly known: KnownLine | undefined };

/**
 * Some profilers tell of a caller only where its function begins. What it calls then tells the line: that of the function which calls such a
 * thing, the deepest in loops.
 */
function callSite(own: OwnFrame, below: readonly Frame[]): OwnFrame {
  const { frame, known } = own;
  if (!known || known.facts.start !== frame.line) return own;
  const marks = CALL_MARKS.filter(([pattern]) => below.some(({ name }) => pattern.test(name))).map(([, mark]) => mark);
  let best: readonly [number, LineFacts] | undefined;
  for (const [line, facts] of known.file)
    if (
      facts.start === frame.line &&
      marks.some((mark) => facts.marks.has(mark)) &&
      (!best || facts.loops.length > best[1].loops.length)
    )
      best = [line, facts];
  return best ? { frame: { ...frame, line: best[0] }, known: { ...known, facts: best[1] } } : own;
}

/** A line is written by frames of a logger: what pays is the line that called it. */
function loggingPlace(frames: readonly Frame[], isOwn: (frame: Frame) => boolean): Frame | undefined {
  const at = frames.findLastIndex(({ name, file }) => LOGGING_NAME.test(name) || LOGGING_FILE.test(file));
  return at < 0 ? undefined : frames.slice(at + 1).find(isOwn);
}

/** Two loops, one inside of the other, over the same list. The place is the inner one's line that does the work. */
function eachWithEach(own: readonly OwnFrame[]): Match | undefined {
  const seen = new Set<string>();
  for (const { frame, known } of [...own].reverse())
    for (const { over } of known?.facts.loops ?? []) {
      if (over !== '' && seen.has(over)) return { habit: 'each with each', place: frame, by: known!.by };
      seen.add(over);
    }
  return undefined;
}
