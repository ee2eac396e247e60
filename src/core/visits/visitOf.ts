import { VITALS, type Vital } from './figures/vitals.ts';
import { isThird, type LoadPart, loadParts, type Phase, phaseSums } from './loadPhases.ts';
import { type Sign, signsOf } from './struggle.ts';
import { DETAIL, endOf, hostOf, numberIn, textIn, type VisitEvent } from './visitEvent.ts';

/** A view of one page. */
export interface View {
  readonly page: string;
  readonly atMs: number;
  /** `load` with a document, `route` without one. */
  readonly trigger: string;
  /** Until it was ready, microseconds; undefined when not reported. */
  readonly readyUs: number | undefined;
  readonly parts: readonly LoadPart[];
  readonly phases: Readonly<Record<Phase, number>>;
  /** The third party that took most of it, and the script. */
  readonly party: string;
  readonly script: string;
  /** Milliseconds; of CLS thousandths. */
  readonly vitals: Partial<Record<Vital, number>>;
  readonly events: readonly VisitEvent[];
  readonly resources: readonly VisitEvent[];
  readonly tasks: readonly VisitEvent[];
  readonly signs: readonly Sign[];
  readonly errors: number;
  readonly crashes: number;
  /** Whether the visit ended on it. */
  readonly isLast: boolean;
}

/** What visitors did, in order: what a funnel goes by. */
export interface Step {
  readonly kind: 'page' | 'action';
  readonly name: string;
  readonly page: string;
  readonly atMs: number;
  readonly tookMs: number | null;
  /** Whether it had an effect. */
  readonly worked: boolean;
  readonly traceId: string;
}

/** One visit, put together. */
export interface Visit {
  readonly session: string;
  readonly app: string;
  readonly user: string;
  readonly fromMs: number;
  readonly toMs: number;
  /** Empty where not reported. */
  readonly about: Readonly<Record<'version' | 'region' | 'browser' | 'device' | 'os', string>>;
  readonly isNew: boolean | undefined;
  /** Further facts, name and value. */
  readonly more: readonly (readonly [string, string])[];
  readonly views: readonly View[];
  readonly steps: readonly Step[];
  readonly signs: readonly Sign[];
  readonly faults: readonly VisitEvent[];
  readonly events: readonly VisitEvent[];
  /** Start of the application on a phone, milliseconds. */
  readonly startMs: number | undefined;
  /** Milliseconds for pages to be ready and for answers. */
  readonly waitedMs: number;
  /** Things masked before they were sent. */
  readonly masked: number;
}

const FACTS = ['version', 'region', 'browser', 'device', 'os'] as const;
const MOST_FURTHER = 12;
const LONGEST_FACT = 80;

/** @param events of one visit, in order of time, one at least */
export function visitOf(session: string, app: string, user: string, events: readonly VisitEvent[]): Visit {
  const about: Record<string, VisitEvent['about'][string]> = {};
  for (const it of events) Object.assign(about, it.about);
  const toMs = events.reduce((end, it) => Math.max(end, endOf(it)), 0);
  const signs = signsOf(events);
  const views = viewsOf(events, signs);
  const steps = stepsOf(events);
  const waits = views.reduce((sum, { readyUs }) => sum + (readyUs ?? 0) / 1_000, 0);
  const answers = steps.reduce((sum, { kind, tookMs }) => sum + (kind === 'action' ? (tookMs ?? 0) : 0), 0);
  const start = events.find(({ kind }) => kind === 'start')?.durationMs;
  return {
    session,
    app,
    user,
    fromMs: events[0].atMs,
    toMs,
    about: Object.fromEntries(FACTS.map((name) => [name, textIn(about, name).slice(0, LONGEST_FACT)])) as Visit['about'],
    isNew: typeof about.new === 'boolean' ? about.new : undefined,
    more: Object.keys(about)
      .filter((name) => name !== 'new' && !(FACTS as readonly string[]).includes(name) && textIn(about, name) !== '')
      .slice(0, MOST_FURTHER)
      .map((name) => [name.slice(0, LONGEST_FACT), textIn(about, name).slice(0, LONGEST_FACT)]),
    views,
    steps,
    signs,
    faults: events.filter(({ kind }) => kind === 'error' || kind === 'crash'),
    events,
    startMs: start ?? undefined,
    waitedMs: waits + answers,
    masked: events.reduce((sum, { detail }) => sum + (numberIn(detail, DETAIL.masked) ?? 0), 0),
  };
}

function viewsOf(events: readonly VisitEvent[], signs: readonly Sign[]): View[] {
  const pages = events.filter(({ kind }) => kind === 'page');
  const own = pages.map((): VisitEvent[] => []);
  const byId = new Map(pages.map((it, at) => [textIn(it.detail, DETAIL.view), at]));
  const viewAt = (atMs: number) =>
    Math.max(
      0,
      pages.findLastIndex((it) => it.atMs <= atMs),
    );
  for (const event of events) {
    if (event.kind === 'page' || pages.length === 0) continue;
    const id = textIn(event.detail, DETAIL.view);
    own[(id !== '' ? byId.get(id) : undefined) ?? viewAt(event.atMs)].push(event);
  }
  return pages.map((page, at) => {
    const events = own[at];
    const resources = events.filter(({ kind }) => kind === 'resource');
    const tasks = events.filter(({ kind }) => kind === 'task');
    const parts = loadParts(page, resources, tasks);
    const third = heaviest(parts.filter(({ phase }) => phase === 'third'));
    const vitals: Partial<Record<Vital, number>> = {};
    for (const it of events) if (it.kind === 'vital' && it.name in VITALS) vitals[it.name as Vital] = vitalOf(it);
    const until = pages[at + 1]?.atMs ?? Number.POSITIVE_INFINITY;
    return {
      page: page.page,
      atMs: page.atMs,
      trigger: textIn(page.detail, DETAIL.trigger) || 'load',
      readyUs: page.durationMs === null ? undefined : Math.round(page.durationMs * 1_000),
      parts,
      phases: phaseSums(parts),
      party: third?.party ?? '',
      script: third?.name ?? '',
      vitals,
      events,
      resources,
      tasks,
      signs: signs.filter((it) => (at === 0 || it.atMs >= page.atMs) && it.atMs < until),
      errors: events.filter(({ kind }) => kind === 'error').length,
      crashes: events.filter(({ kind }) => kind === 'crash').length,
      isLast: at === pages.length - 1,
    };
  });
}

function vitalOf({ name, durationMs, detail }: VisitEvent): number {
  if (name === 'CLS') return Math.round((numberIn(detail, DETAIL.value) ?? 0) * 1_000);
  return Math.max(0, durationMs ?? numberIn(detail, DETAIL.value) ?? 0);
}

/** The party that took most of a load, and which of its scripts most of that. */
function heaviest(parts: readonly LoadPart[]): { party: string; name: string } | undefined {
  const sums = new Map<string, { party: string; name: string; sum: number }>();
  for (const { party, name, from, to } of parts) {
    const key = `${party}\0${name}`;
    const it = sums.get(key) ?? { party, name, sum: 0 };
    sums.set(key, it);
    it.sum += to - from;
  }
  return [...sums.values()].sort((a, b) => b.sum - a.sum)[0];
}

function stepsOf(events: readonly VisitEvent[]): Step[] {
  return events
    .filter(({ kind }) => kind === 'page' || kind === 'action')
    .map((it) => ({
      kind: it.kind as Step['kind'],
      name: it.kind === 'page' ? it.page : it.name,
      page: it.page,
      atMs: it.atMs,
      tookMs: it.durationMs,
      worked: !(it.detail[DETAIL.effect] === false || it.detail[DETAIL.effect] === 'none'),
      traceId: it.traceId,
    }));
}

/** What one third party cost a view. */
export interface PartyCost {
  readonly party: string;
  readonly requests: number;
  readonly failed: number;
  readonly bytes: number;
  /** Microseconds: of its requests in sum, what of the load waited for it, and how long its scripts kept the page busy. */
  readonly requestUs: number;
  readonly heldUs: number;
  readonly busyUs: number;
}

/** What third parties cost a view, by host. */
export function partyCosts({ resources, tasks, parts }: View): PartyCost[] {
  const costs = new Map<string, { -readonly [Key in keyof PartyCost]: PartyCost[Key] }>();
  const costOf = (party: string) => {
    let it = costs.get(party);
    if (!it) {
      it = { party, requests: 0, failed: 0, bytes: 0, requestUs: 0, heldUs: 0, busyUs: 0 };
      costs.set(party, it);
    }
    return it;
  };
  for (const it of resources) {
    if (!isThird(it)) continue;
    const cost = costOf(hostOf(it.name) || it.name);
    cost.requests++;
    cost.requestUs += Math.round((it.durationMs ?? 0) * 1_000);
    cost.bytes += numberIn(it.detail, DETAIL.bytes) ?? 0;
    if ((numberIn(it.detail, DETAIL.status) ?? 0) >= 400) cost.failed++;
  }
  for (const it of tasks) if (isThird(it)) costOf(hostOf(it.name) || it.name).busyUs += Math.round((it.durationMs ?? 0) * 1_000);
  for (const { phase, party, from, to } of parts) if (phase === 'third') costOf(party).heldUs += to - from;
  return [...costs.values()];
}
