/** What goes wrong with pods, as the rows of the page are grouped by. The first that fits comes first. */
export const PATTERNS = ['killed', 'restart loop', 'none up', 'image', 'no room', 'evicted', 'not ready', 'held back'] as const;
export type Pattern = (typeof PATTERNS)[number];

/** In words, as the page says them. */
export const PATTERN_WORDS: Readonly<Record<Pattern, string>> = {
  killed: 'Killed at its memory limit',
  'restart loop': 'Started again and again',
  'none up': 'Not one of its kind is up',
  image: 'Image cannot be fetched',
  'no room': 'No machine has room',
  evicted: 'Sent away by its machine',
  'not ready': 'Answers its probe late',
  'held back': 'Held back at its CPU limit',
};

/** What happened to a pod within the window. */
export interface PodEvent {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly reason: string;
  readonly message: string;
  readonly count: number;
}

/** A pod at the end of a window. */
export interface PodState {
  readonly name: string;
  /** What it is one of: its deployment, set or job. */
  readonly kin: string;
  readonly ready: boolean;
  readonly phase: string;
  readonly reason: string;
  /** Within the window. */
  readonly restarts: number;
  readonly events: readonly PodEvent[];
  /** Cores that it did not get since it is not allowed more, as the median of the window. */
  readonly throttled: number;
}

/** Restarts in a window that are a loop. */
const LOOP = 3;
/** Cores held back that matter. */
const HELD_BACK = 0.05;

/** Reasons as clusters and runtimes name them, by the pattern that they speak of. */
const REASONS: readonly (readonly [Pattern, RegExp])[] = [
  ['killed', /^(OOMKill(ed|ing)|SystemOOM|out of memory)$/i],
  ['image', /^(ErrImage\w*|ImagePullBackOff|InvalidImageName|ImageInspectError|RegistryUnavailable)$/i],
  ['no room', /^(FailedScheduling|Unschedulable|OutOf(cpu|memory|pods))$/i],
  ['evicted', /^(Evicted|Preempt(ed|ing)|NodeShutdown|TaintManagerEviction)$/i],
  ['not ready', /^(Unhealthy|ProbeWarning|ReadinessGateFailed)$/i],
  ['restart loop', /^(CrashLoopBackOff)$/i],
];

/** The patterns that a pod shows. @param hasKinUp whether another of its kind is ready */
export function patternsOf(pod: PodState, hasKinUp: boolean): Pattern[] {
  const found = new Set<Pattern>();
  for (const reason of [...pod.events.map((it) => it.reason), pod.reason])
    for (const [pattern, names] of REASONS) if (names.test(reason)) found.add(pattern);
  if (pod.restarts >= LOOP) found.add('restart loop');
  // A pod that waits for its first image or a place is not ready for that reason.
  if (!pod.ready && !hasKinUp) found.add('none up');
  else if (!pod.ready && found.size === 0) found.add('not ready');
  if (pod.throttled >= HELD_BACK) found.add('held back');
  return PATTERNS.filter((it) => found.has(it));
}

/** A stretch of a pod's life within a window. */
export interface Life {
  /** Epoch milliseconds. */
  readonly from: number;
  readonly to: number;
  /** How it ended: killed, or otherwise; running when it did not. */
  readonly end: 'killed' | 'ended' | 'running';
}

/** Events with which a life ends, and begins. */
const ENDS = /^(OOMKill(ed|ing)|Killing|Evicted|Preempt(ed|ing)|NodeShutdown)$/i;
const BEGINS = /^(Started)$/i;

/**
 * The lives of a pod in a window, from what happened to it. Without any event it lived all the time, or none of it when it is not up.
 *
 * @param events in order of time
 */
export function livesOf(events: readonly PodEvent[], from: number, to: number, isUp: boolean): Life[] {
  const lives: Life[] = [];
  const turns = events.filter(({ reason }) => ENDS.test(reason) || BEGINS.test(reason));
  if (turns.length === 0) return isUp ? [{ from, to, end: 'running' }] : [];
  let since: number | undefined = ENDS.test(turns[0].reason) ? from : undefined;
  // One that was started anew was there before, in another version.
  if (since === undefined && turns[0].at > from) lives.push({ from, to: turns[0].at, end: 'ended' });
  for (const { at, reason } of turns) {
    if (BEGINS.test(reason)) {
      if (since !== undefined && at > since) lives.push({ from: since, to: at, end: 'ended' });
      since = at;
    } else if (since !== undefined) {
      lives.push({ from: since, to: at, end: /OOM/i.test(reason) ? 'killed' : 'ended' });
      since = undefined;
    }
  }
  if (since !== undefined) lives.push({ from: since, to, end: 'running' });
  return lives;
}
