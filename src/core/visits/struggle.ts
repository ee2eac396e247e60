import { DETAIL, effectOf, endOf, textIn, type VisitEvent } from './visitEvent.ts';

/** Pressed again and again; pressed without an effect; pressed, then an error. */
export const SIGNS = ['knocking', 'no answer', 'turned away'] as const;
export type SignKind = (typeof SIGNS)[number];

/** A sign that a visitor struggles. */
export interface Sign {
  readonly kind: SignKind;
  /** Epoch milliseconds of the first press. */
  readonly atMs: number;
  readonly page: string;
  /** What was pressed. */
  readonly name: string;
  readonly presses: number;
  /** The error, for one who was turned away. */
  readonly error: string;
}

/** So many presses of one element within so long are knocking. */
const KNOCKS = 3;
const KNOCK_MS = 2_000;
/** An error so soon after a press, or after its effect, turned the visitor away. */
const ERROR_MS = 1_000;

/**
 * The signs of struggle in a visit: at least three presses of one element within 2 s; presses without mutation, navigation, request or change
 * of focus, one sign for a run of them; an error within 1 s after a press or its answer. Signs that the sender found itself are not counted
 * again where presses show them.
 *
 * @param events of one visit, in order of time
 */
export function signsOf(events: readonly VisitEvent[]): Sign[] {
  const runs = new Map<string, VisitEvent[]>();
  const found: Sign[] = [];
  const presses = events.filter(({ kind }) => kind === 'action');
  for (const press of presses) {
    const key = elementOf(press);
    const run = runs.get(key);
    if (run && press.atMs - run.at(-1)!.atMs <= KNOCK_MS) run.push(press);
    else {
      if (run) found.push(...signsOfRun(run));
      runs.set(key, [press]);
    }
  }
  for (const run of runs.values()) found.push(...signsOfRun(run));
  for (const error of events) {
    if (error.kind !== 'error' && error.kind !== 'crash') continue;
    const press = presses.findLast(
      (it) =>
        it.atMs <= error.atMs &&
        (error.atMs - it.atMs <= ERROR_MS || Math.abs(error.atMs - endOf(it)) <= ERROR_MS || sameTrace(it, error)),
    );
    if (press && !found.some((it) => it.kind === 'turned away' && it.atMs === press.atMs && it.name === press.name))
      found.push({ ...placeOf(press), kind: 'turned away', presses: 1, error: error.name });
  }
  for (const it of events)
    if (it.kind === 'struggle' && isSign(it.name) && !found.some(({ kind }) => kind === it.name))
      found.push({ kind: it.name, atMs: it.atMs, page: it.page, name: textIn(it.detail, DETAIL.element), presses: 1, error: '' });
  return found.sort((a, b) => a.atMs - b.atMs);
}

function signsOfRun(run: readonly VisitEvent[]): Sign[] {
  const found: Sign[] = [];
  const isKnocking = run.some((press, at) => at >= KNOCKS - 1 && press.atMs - run[at - KNOCKS + 1].atMs <= KNOCK_MS);
  if (isKnocking) found.push({ ...placeOf(run[0]), kind: 'knocking', presses: run.length, error: '' });
  const unanswered = run.filter((press) => effectOf(press) === false);
  if (unanswered.length > 0) found.push({ ...placeOf(unanswered[0]), kind: 'no answer', presses: unanswered.length, error: '' });
  return found;
}

function isSign(name: string): name is SignKind {
  return (SIGNS as readonly string[]).includes(name);
}

function sameTrace(a: VisitEvent, b: VisitEvent): boolean {
  return a.traceId !== '' && a.traceId === b.traceId;
}

function elementOf({ page, name, detail }: VisitEvent): string {
  return `${page}\0${name}\0${textIn(detail, DETAIL.element)}`;
}

function placeOf({ atMs, page, name }: VisitEvent) {
  return { atMs, page, name };
}
