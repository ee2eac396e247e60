import { z } from 'zod';
import { appsIn, noVisits, type VisitCounts } from '../../core/visits/figures/appsIn.ts';
import { type NarrowedSlot, narrowed, type SlotVisits, UNDER_WAY_MS, type VisitScope } from '../../core/visits/slotVisits.ts';
import { parseConditions, type VisitCondition } from '../../core/visits/visitFilter.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError } from '../endpoint.ts';

/** What every question about visitors takes. */
export const visitorParameters = {
  ...comparisonParameters,
  app: z.string().max(200).default('').meta({ description: 'The application; the one with most visits by default.' }),
  who: z.string().max(4_000).default('').meta({
    description:
      'Which visits: `version=2.31;!region=Tern|Marram`, each part percent-encoded. Fields: app, version, region, browser, device, os, page, action, new (yes, no), sign, fault (error, crash), user, session, and whatever else the visits say of themselves.',
  }),
};

type VisitorQuery = z.output<z.ZodObject<typeof visitorParameters>>;

/** Visits of one window, narrowed. */
export interface VisitSide {
  readonly window: Window;
  readonly slots: readonly NarrowedSlot[];
  readonly scope: VisitScope;
}

export interface Visitors {
  readonly lit: VisitSide;
  readonly before: VisitSide;
  readonly app: string;
  /** All applications, whatever the question is about. */
  readonly apps: readonly { readonly app: string; readonly visits: number }[];
  readonly conditions: readonly VisitCondition[];
  readonly counts: { readonly lit: VisitCounts; readonly before: VisitCounts };
}

/**
 * The visits of both windows.
 *
 * @param reach see `visitsBetween`
 * @throws ApiError for a condition that is none
 */
export async function visitorsOf({ app, who, ...query }: VisitorQuery, reach: 'began' | 'views' = 'began'): Promise<Visitors> {
  const asked = parseConditions(who);
  if (!asked) throw new ApiError(400, `who: "${who.slice(0, 80)}" cannot be read; write it as field=value;!field=value|value`);
  const windows = await windowsOf(query);
  // One after the other: what both need is then in memory.
  const lit = await visitsBetween(windows.lit.from, windows.lit.to, reach);
  const before = await visitsBetween(windows.before.from, windows.before.to, reach);
  const apps = [...appsIn(narrowed(lit, []), scopeOf(windows.lit, []))].map(([name, { visits }]) => ({ app: name, visits }));
  const chosen = app || (apps[0]?.app ?? '');
  const conditions = [...asked, ...(chosen ? [{ field: 'app', values: [chosen], not: false }] : [])];
  const [litSide, beforeSide] = [sideOf(windows.lit, lit, conditions), sideOf(windows.before, before, conditions)];
  return {
    lit: litSide,
    before: beforeSide,
    app: chosen,
    apps,
    conditions,
    counts: {
      lit: appsIn(litSide.slots, litSide.scope).get(chosen) ?? noVisits(),
      before: appsIn(beforeSide.slots, beforeSide.scope).get(chosen) ?? noVisits(),
    },
  };
}

/** A window as visits are asked for. */
export function scopeOf({ from, to }: Window, conditions: readonly VisitCondition[]): VisitScope {
  return { fromMs: Number(from) / 1e6, toMs: Number(to) / 1e6, conditions, settledBeforeMs: Date.now() - UNDER_WAY_MS };
}

function sideOf(window: Window, slots: readonly SlotVisits[], conditions: readonly VisitCondition[]): VisitSide {
  return { window, slots: narrowed(slots, conditions), scope: scopeOf(window, conditions) };
}

export const visitCounts = z.object({
  visits: z.int(),
  views: z.int(),
  actions: z.int(),
  resources: z.int(),
  errors: z.int(),
  crashes: z.int(),
  crashed: z.int().meta({ description: 'Visits with a crash.' }),
  faulty: z.int().meta({ description: 'Visits with an error or a crash.' }),
  struggling: z.int().meta({ description: 'Visits with a sign of struggle.' }),
  waitedMs: z.number(),
  masked: z.int(),
});

/** What every answer about visitors begins with. */
export const visitorsAnswer = {
  litWindow: windowAnswer,
  beforeWindow: windowAnswer,
  app: z.string(),
  apps: z.array(z.object({ app: z.string(), visits: z.int() })),
  counts: z.object({ lit: visitCounts, before: visitCounts }),
};

export function describeVisitors({ lit, before, app, apps, counts }: Visitors) {
  return {
    litWindow: describeWindow(lit.window),
    beforeWindow: describeWindow(before.window),
    app,
    apps: apps.map((it) => ({ ...it })),
    counts,
  };
}
