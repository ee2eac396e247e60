import type { Phase } from './loadPhases.ts';
import { DETAIL, effectOf, endOf, textIn } from './visitEvent.ts';
import type { Visit } from './visitOf.ts';

/**
 * Who held a visitor up: a phase of a page load, an answer of the company, nothing at all (after an error, or after a press without an
 * effect), or nobody: then the time is the visitor's own.
 */
export type HolderKind = Phase | 'answer' | 'nothing' | 'visitor';

export const HOLDERS: readonly HolderKind[] = [
  'nothing',
  'third',
  'answer',
  'server',
  'browser',
  'network',
  'download',
  'visitor',
];

/** A stretch of a visit with who held it up; whole microseconds from the beginning of the visit. */
export interface Held {
  readonly from: number;
  readonly to: number;
  readonly kind: HolderKind;
  /** The third party; the action that is answered; why nothing happens. */
  readonly party: string;
  readonly name: string;
  readonly traceId: string;
}

interface Claim extends Held {
  readonly rank: number;
}

/**
 * A visit taken apart by who held it up. The stretches lie side by side and fill the visit exactly. Where several claim a moment, a page load
 * comes before an answer, and that before nothing.
 */
export function accountOf(visit: Visit): Held[] {
  const end = us(visit.toMs - visit.fromMs);
  const claims = [...loads(visit), ...answers(visit), ...nothings(visit)]
    .map((it) => ({ ...it, from: Math.max(0, it.from), to: Math.min(end, it.to) }))
    .filter(({ from, to }) => to > from);
  const edges = [...new Set([0, end, ...claims.flatMap(({ from, to }) => [from, to])])].sort((a, b) => a - b);
  const found: Held[] = [];
  for (const [at, from] of edges.slice(0, -1).entries()) {
    const to = edges[at + 1];
    let best: Claim | undefined;
    for (const it of claims) if (it.from <= from && it.to >= to && (!best || it.rank < best.rank)) best = it;
    const { kind, party, name, traceId } = best ?? { kind: 'visitor' as const, party: '', name: '', traceId: '' };
    const last = found.at(-1);
    if (last && last.kind === kind && last.party === party && last.name === name && last.traceId === traceId)
      found[found.length - 1] = { ...last, to };
    else found.push({ from, to, kind, party, name, traceId });
  }
  return found;
}

function us(ms: number): number {
  return Math.round(ms * 1_000);
}

function loads(visit: Visit): Claim[] {
  return visit.views.flatMap(({ atMs, parts }) => {
    const begin = us(atMs - visit.fromMs);
    return parts.map(({ from, to, phase, party, name }) => ({
      rank: 0,
      from: begin + from,
      to: begin + to,
      kind: phase,
      party,
      name,
      traceId: '',
    }));
  });
}

function answers(visit: Visit): Claim[] {
  return visit.events
    .filter((it) => it.kind === 'action' && (it.durationMs ?? 0) > 0 && effectOf(it) !== false)
    .map((it) => ({
      rank: 1,
      from: us(it.atMs - visit.fromMs),
      to: us(endOf(it) - visit.fromMs),
      kind: 'answer' as const,
      party: it.name,
      name: it.name,
      traceId: it.traceId,
    }));
}

/** From a press without an effect, or from an error, until something happens again. */
function nothings(visit: Visit): Claim[] {
  const found: Claim[] = [];
  for (const [at, it] of visit.events.entries()) {
    const isFault = it.kind === 'crash' || (it.kind === 'error' && textIn(it.detail, DETAIL.status) === '');
    const isDead = it.kind === 'action' && effectOf(it) === false;
    if (!isFault && !isDead) continue;
    const next = visit.events
      .slice(at + 1)
      .find(({ kind, atMs }) => atMs > it.atMs && (kind === 'page' || kind === 'action' || kind === 'leave' || kind === 'start'));
    found.push({
      rank: 2,
      from: us(it.atMs - visit.fromMs),
      to: us((next?.atMs ?? visit.toMs) - visit.fromMs),
      kind: 'nothing',
      party: isFault ? 'after the error' : 'no answer',
      name: it.name,
      traceId: '',
    });
  }
  return found;
}

/** One line of where the time of a visit went. */
export interface AccountLine {
  readonly kind: HolderKind;
  readonly party: string;
  readonly us: number;
}

/** The stretches of a visit summed by who held it up, the most first, the visitor's own last; they add up to the visit. */
export function accountLines(held: readonly Held[]): AccountLine[] {
  const sums = new Map<string, AccountLine>();
  for (const { kind, party, from, to } of held) {
    // Answers are the company's, whatever was asked for.
    const of = kind === 'answer' ? '' : party;
    const key = `${kind}\0${of}`;
    sums.set(key, { kind, party: of, us: (sums.get(key)?.us ?? 0) + to - from });
  }
  return [...sums.values()].sort((a, b) => Number(a.kind === 'visitor') - Number(b.kind === 'visitor') || b.us - a.us);
}

/** What of a visit was waiting, microseconds. */
export function waitedUs(held: readonly Held[]): number {
  return held.reduce((sum, { kind, from, to }) => sum + (kind === 'visitor' ? 0 : to - from), 0);
}
