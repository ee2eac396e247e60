import type { Attributes } from '../trace/span.ts';
import type { HolderKind } from './account.ts';
import type { SignKind } from './struggle.ts';
import { effectOf, numberIn } from './visitEvent.ts';
import { ms } from './words.ts';

/** What happens in a visit, one line after the other, as one would tell it. */
export interface StoryLine {
  /** Epoch milliseconds. */
  readonly atMs: number;
  /** Until when it lasts: until a page is ready, an answer comes. */
  readonly toMs: number;
  readonly kind: 'page' | 'press' | 'reads' | 'fault' | 'leave' | 'start';
  /** What stands out, and the rest of the sentence. */
  readonly lead: string;
  readonly rest: string;
  readonly sign: SignKind | undefined;
  readonly traceId: string;
  readonly page: string;
  readonly name: string;
}

interface Told {
  readonly from: number;
  readonly to: number;
  readonly views: readonly {
    readonly page: string;
    readonly at: number;
    readonly readyMs: number | null;
    readonly parts: readonly { readonly phase: string; readonly party: string; readonly from: number; readonly to: number }[];
  }[];
  readonly events: readonly {
    readonly at: number;
    readonly kind: string;
    readonly page: string;
    readonly name: string;
    readonly durationMs: number | null;
    readonly traceId: string;
    readonly detail: Attributes;
  }[];
  readonly signs: readonly {
    readonly kind: SignKind;
    readonly at: number;
    readonly name: string;
    readonly presses: number;
    readonly error: string;
  }[];
  readonly held: readonly { readonly from: number; readonly to: number; readonly kind: string | HolderKind }[];
}

/** So long a stretch of the visitor's own is told. */
const READS_MS = 3_000;
/** A third party that held a page up by so much is named. */
const HELD_UP_MS = 300;
const TOGETHER_MS = 2_000;

/** The lines of a visit, in order of time. */
export function storyOf(visit: Told): StoryLine[] {
  const lines: StoryLine[] = [];
  const plain = { sign: undefined, traceId: '', page: '', name: '' };
  for (const view of visit.views) {
    const third = view.parts.filter(({ phase }) => phase === 'third').reduce((sum, { from, to }) => sum + (to - from) / 1_000, 0);
    const party = view.parts.find(({ phase }) => phase === 'third')?.party ?? '';
    lines.push({
      ...plain,
      atMs: view.at,
      toMs: view.at + (view.readyMs ?? 0),
      kind: 'page',
      lead: `Opens ${view.page}.`,
      rest:
        view.readyMs === null
          ? 'How long it took is not reported.'
          : `Ready after ${ms(view.readyMs)}${third > HELD_UP_MS ? `; ${party} kept it for ${ms(third)}` : ''}.`,
      page: view.page,
      name: view.page,
    });
  }
  lines.push(...presses(visit));
  for (const it of visit.events) {
    if (it.kind === 'error' || it.kind === 'crash')
      lines.push({
        ...plain,
        atMs: it.at,
        toMs: it.at,
        kind: 'fault',
        lead: it.kind === 'crash' ? 'The application crashes.' : 'An error.',
        rest: it.name,
        page: it.page,
        name: it.name,
        traceId: it.traceId,
      });
    if (it.kind === 'start')
      lines.push({
        ...plain,
        atMs: it.at,
        toMs: it.at + (it.durationMs ?? 0),
        kind: 'start',
        lead: 'Starts the application.',
        rest: `It is there after ${ms(it.durationMs)}.`,
      });
    if (it.kind === 'leave')
      lines.push({ ...plain, atMs: it.at, toMs: it.at, kind: 'leave', lead: 'Leaves.', rest: '', page: it.page });
  }
  for (const { from, to, kind } of visit.held)
    if (kind === 'visitor' && to - from >= READS_MS * 1_000)
      lines.push({
        ...plain,
        atMs: visit.from + from / 1_000,
        toMs: visit.from + to / 1_000,
        kind: 'reads',
        lead: '',
        rest: `Reads, chooses for ${ms((to - from) / 1_000)}.`,
      });
  return lines.sort((a, b) => a.atMs - b.atMs);
}

/** Presses of one thing soon after each other are one line. */
function presses({ events, signs }: Told): StoryLine[] {
  const lines: StoryLine[] = [];
  let run: Told['events'][number][] = [];
  const flush = () => {
    const [first] = run;
    if (!first) return;
    const last = run.at(-1)!;
    const sign = signs.find((it) => it.name === first.name && it.at >= first.at - 1 && it.at <= last.at + 1);
    const end = last.at + (last.durationMs ?? 0);
    const status = numberIn(last.detail, 'status');
    const answer = isDead(last)
      ? 'No effect.'
      : (last.durationMs ?? 0) > 0
        ? `Answered after ${ms(last.durationMs)}${status !== undefined && status >= 400 ? ` with ${status}` : ''}.`
        : '';
    lines.push({
      atMs: first.at,
      toMs: end,
      kind: 'press',
      lead: run.length > 1 ? `Presses ${first.name} ${run.length} times` : `Presses ${first.name}.`,
      rest: run.length > 1 ? `in ${ms(last.at - first.at)}. ${answer}` : answer,
      sign: sign?.kind,
      traceId: last.traceId,
      page: first.page,
      name: first.name,
    });
    run = [];
  };
  for (const it of events) {
    if (it.kind !== 'action') continue;
    const last = run.at(-1);
    if (last && (last.name !== it.name || it.at - last.at > TOGETHER_MS || isDead(last) !== isDead(it))) flush();
    run.push(it);
  }
  flush();
  return lines;
}

/** Whether a press had no effect. */
function isDead({ detail }: Told['events'][number]): boolean {
  return effectOf({ detail }) === false;
}
