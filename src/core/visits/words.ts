import { formatShare } from '../incidents/words.ts';
import { formatCount } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { HolderKind } from './account.ts';
import { VITALS, type Vital } from './figures/vitals.ts';
import type { Reason } from './funnel/funnel.ts';
import { isApart } from './funnel/isApart.ts';
import { PHASES, type Phase } from './loadPhases.ts';
import type { SignKind } from './struggle.ts';
import { type AtAGlance, isLonger, LEAST_LOADS, moreCrash, moreStruggle } from './worse.ts';

export function ms(value: number | null): string {
  return value === null ? '–' : value === 0 ? '0' : formatDuration(value * 1e6);
}

export interface Load {
  readonly ready: { readonly p75: number | null; readonly loads: number };
  readonly band: {
    readonly readyMs: number;
    readonly phases: Readonly<Record<Phase, number>>;
    readonly party: string;
    readonly script: string;
    readonly partyMs: number;
  };
}

/** What took longer, most first, milliseconds. */
export function longerPhases(lit: Load['band'], before: Load['band']): { readonly phase: Phase; readonly ms: number }[] {
  return PHASES.map((phase) => ({ phase, ms: lit.phases[phase] - before.phases[phase] })).sort((a, b) => b.ms - a.ms);
}

type VisitsOf = Pick<AtAGlance, 'visits' | 'struggling' | 'crashed'>;

/**
 * @param pages what they are called: pages of a browser, screens of a phone
 * @param when the part of the window that `lit` is of, as `withinRange` says it; empty for all of it
 * @param app which application is meant, where there are several
 */
export function pagesSentence(
  { lit, before }: { readonly lit: Load; readonly before: Load },
  counts: { readonly lit: VisitsOf; readonly before: VisitsOf },
  pages: 'Pages' | 'Screens',
  when = '',
  app = '',
): string {
  const { p75, loads } = lit.ready;
  const whose = app && ` of ${app}`;
  if (p75 === null) return `No ${pages === 'Pages' ? 'page' : 'screen'}${whose} was loaded in this window`;
  const few = loads < LEAST_LOADS ? `, of ${loads} loads only` : '';
  const inPart = when && ` ${when}`;
  const ready = `${pages}${whose} are ready in ${ms(p75)}${inPart}`;
  if (before.ready.p75 === null || before.ready.loads < LEAST_LOADS)
    return `${ready}${few}; before, too few were loaded to compare`;
  const longer = isLonger(p75, before.ready.p75);
  const also = moreCrash(counts.lit, counts.before)
    ? `; ${formatCount(counts.lit.crashed)} of ${formatCount(counts.lit.visits)} visits crash`
    : moreStruggle(counts.lit, counts.before)
      ? `; ${formatCount(counts.lit.struggling)} of ${formatCount(counts.lit.visits)} visits struggle`
      : '';
  if (longer) {
    const extra = lit.band.readyMs - before.band.readyMs;
    const [most] = longerPhases(lit.band, before.band);
    const why =
      most.phase === 'third' && lit.band.partyMs > extra / 2
        ? `; one script is ${ms(lit.band.partyMs)} of it`
        : most.ms > extra / 2
          ? `; ${ms(most.ms)} more ${PHASE_WORDS[most.phase].where}`
          : '';
    return `${ready}, not ${ms(before.ready.p75)}${why || also}${few}`;
  }
  if (isLonger(before.ready.p75, p75)) return `${ready}, faster than before: ${ms(before.ready.p75)}${also}${few}`;
  return `${ready}, as before${also ? also.replace('; ', ', but ') : ''}${few}`;
}

export const PHASE_WORDS: Readonly<Record<Phase, { readonly name: string; readonly what: string; readonly where: string }>> = {
  network: { name: 'network', what: 'redirects, name, connection', where: 'on the network' },
  server: { name: 'server', what: 'until the first byte', where: 'on the server' },
  download: { name: 'download', what: 'own documents and files', where: 'for downloads' },
  third: { name: 'third parties', what: 'that the load waited for', where: 'for third parties' },
  browser: { name: 'browser', what: 'scripts, drawing', where: 'in the browser' },
};

export const HOLDER_WORDS: Readonly<Record<HolderKind, { readonly name: string; readonly what: string }>> = {
  ...PHASE_WORDS,
  third: { name: 'third party', what: '' },
  answer: { name: 'company', what: 'its answers' },
  nothing: { name: 'nothing', what: 'happens' },
  visitor: { name: 'the visitor', what: 'reads, chooses' },
};

export const SIGN_WORDS: Readonly<Record<SignKind, string>> = {
  knocking: 'one thing pressed again and again',
  'no answer': 'pressed, without an effect',
  'turned away': 'pressed, and an error came',
};

export const REASON_WORDS: Readonly<Record<Reason, string>> = {
  none: 'left, no sign',
  slow: 'left, slow',
  error: 'left, error',
  crash: 'left, crash',
};

export const VITAL_WORDS: Readonly<Record<Vital, string>> = {
  TTFB: 'first byte',
  FCP: 'first drawn',
  LCP: 'main drawn',
  INP: 'press answered',
  CLS: 'jumping about',
};

/** A value of a vital in its unit. @param value milliseconds; of CLS thousandths */
export function vitalText(vital: Vital, value: number): string {
  return vital === 'CLS' ? (value / 1_000).toFixed(2) : ms(value);
}

/** "good to 2.5 s, poor from 4 s" */
export function thresholdWords(vital: Vital): string {
  const [good, poor] = VITALS[vital];
  return `good to ${vitalText(vital, good)}, poor from ${vitalText(vital, poor)}`;
}

/** What one visit came to: "guest-2741 waited 28.3 s of 52.4 s". */
export function visitSentence(visit: {
  readonly user: string;
  readonly waitedMs: number;
  readonly from: number;
  readonly to: number;
  readonly crashed: boolean;
  readonly gaveUpAt: string;
}): string {
  const who = visit.user || 'A visitor';
  const end = visit.crashed ? ' and the application crashed' : visit.gaveUpAt ? ` and left without “${visit.gaveUpAt}”` : '';
  return `${who} waited ${ms(visit.waitedMs)} of ${ms(visit.to - visit.from)}${end}`;
}

interface StepSide {
  readonly reached: number;
  readonly wentOn: number;
  readonly left: Readonly<Record<Reason, number>>;
}

/** Fewer at a step do not say how many go on. */
const LEAST_AT_STEP = 20;

/**
 * Where more leave than before, and who: "81 of 95 leave at Open a manifest: version 6.2, device Fennel 7".
 *
 * @param lit, before the step that got worst
 */
export function stepsSentence(
  name: string,
  next: string,
  lit: StepSide | undefined,
  before: StepSide | undefined,
  group: { readonly values: readonly string[]; readonly reached: number; readonly left: number; readonly crashed: number } | null,
): string {
  if (!lit || lit.reached === 0) return 'No visit took the first of these steps in this window';
  if (lit.reached < LEAST_AT_STEP) return `Only ${lit.reached} visits reach “${name}”: too few to say how many go on`;
  const share = lit.wentOn / lit.reached;
  if (!before || before.reached < LEAST_AT_STEP)
    return `${formatShare(share)} go on from “${name}” to “${next}”; before, too few to compare`;
  const then = before.wentOn / before.reached;
  const spread = Math.sqrt(then * (1 - then) * (1 / lit.reached + 1 / before.reached));
  const far = then - share < 0.005 ? 0 : (then - share) / Math.max(spread, 1e-9);
  const sure = group !== null && isApart(group, lit) ? group : null;
  // Of several steps the worst is looked at: chance alone makes that one look worse than any step by itself.
  const isAsBefore = far < (sure ? FAR_WITH_GROUP : FAR);
  const crashes = sure !== null && sure.crashed > sure.left / 2;
  const ofGroup =
    sure && `${sure.left} of ${sure.reached} ${crashes ? 'are thrown out' : 'leave'} at “${name}”: ${sure.values.join(', ')}`;
  // A group may leave more often than others at all times; that it is thrown out is never as it should be, however small it is.
  if (isAsBefore && crashes) return `About as many go on as before, but ${ofGroup}`;
  if (isAsBefore) return `About as many go on from step to step as before: ${formatShare(share)} from “${name}”`;
  return ofGroup ?? `${formatShare(share)} go on from “${name}” to “${next}”, not ${formatShare(then)}`;
}

/** Standard deviations that a share has to have fallen by: with a group that accounts for it, and without. */
const FAR = 3.5;
const FAR_WITH_GROUP = 2.6;
/** Versions: how many visits end without a crash. */
export function versionsSentence(
  versions: readonly {
    readonly version: string;
    readonly lit: { readonly visits: number; readonly crashed: number } | null;
    readonly before: { readonly visits: number; readonly crashed: number } | null;
  }[],
  app = '',
): string {
  const whose = app && ` of ${app}`;
  const seen = versions.filter(({ lit }) => lit && lit.visits > 0);
  if (seen.length === 0) return `No visit${whose} is known in this window`;
  const worst = seen.reduce((a, b) => (crashed(b.lit!) > crashed(a.lit!) ? b : a));
  const all = seen.reduce((sum, { lit }) => ({ visits: sum.visits + lit!.visits, crashed: sum.crashed + lit!.crashed }), {
    visits: 0,
    crashed: 0,
  });
  if (all.crashed === 0)
    return `None of ${formatCount(all.visits)} visits${whose} crashed, on ${seen.length} ${seen.length === 1 ? 'version' : 'versions'}`;
  if (worst.lit!.visits < LEAST_AT_STEP)
    return `${formatShare(1 - crashed(all))} of ${formatCount(all.visits)} visits${whose} end without a crash`;
  return `${app && `${app} `}${worst.version || (app ? 'without a version' : 'Without a version')}: ${formatCount(worst.lit!.crashed)} of ${formatCount(worst.lit!.visits)} visits crash; ${formatShare(1 - crashed(all))} of all end without one`;
}

function crashed({ visits, crashed: times }: { readonly visits: number; readonly crashed: number }): number {
  return visits > 0 ? times / visits : 0;
}

/** Third parties: which holds pages up. */
export function partiesSentence(
  parties: readonly {
    readonly party: string;
    readonly lit: { readonly heldMean: number | null; readonly views: number } | null;
    readonly before: { readonly heldMean: number | null } | null;
  }[],
): string {
  const [worst] = parties.filter(({ lit }) => lit);
  if (!worst?.lit) return 'No page asked a third party in this window';
  const { heldMean } = worst.lit;
  if (heldMean === null || heldMean < 50)
    return `No third party holds pages up: ${worst.party} takes ${ms(heldMean ?? 0)} of a load`;
  const then = worst.before?.heldMean ?? null;
  return `${worst.party} holds a load up by ${ms(heldMean)}${then !== null && isLonger(heldMean, then) ? `, not ${ms(then)}` : then !== null ? ', as before' : ''}`;
}

/**
 * What the visitors of an application live through, in few words, and whether it is worse than before.
 *
 * @param when the part of the window that `lit` is of, as `withinRange` says it; empty for all of it
 */
export function glanceOf(
  lit: AtAGlance,
  before: AtAGlance,
  when = '',
): { readonly words: string; readonly state: 'calm' | 'strained' | 'failing' | 'unknown' } {
  const crash = moreCrash(lit, before);
  // Who crashes is turned away, and struggles: that is said once.
  const struggle = lit.struggling > 1.5 * lit.crashed && moreStruggle(lit, before);
  const slow = lit.loads >= LEAST_LOADS && before.loads >= LEAST_LOADS && isLonger(lit.p75, before.p75);
  if (crash || struggle || slow) {
    const words = [
      slow ? `ready in ${ms(lit.p75)}, not ${ms(before.p75)}` : '',
      crash ? `${formatCount(lit.crashed)} of ${formatCount(lit.visits)} crash` : '',
      struggle ? `${formatCount(lit.struggling)} of ${formatCount(lit.visits)} struggle` : '',
    ].filter(Boolean);
    return { words: words.join('; ') + (when && ` ${when}`), state: crash || struggle ? 'failing' : 'strained' };
  }
  const few = lit.visits < LEAST_LOADS || before.visits < LEAST_LOADS;
  return {
    words: few ? `${formatCount(lit.visits)} visits, too few to compare` : `as before, ready in ${ms(lit.p75)}`,
    state: few ? 'unknown' : 'calm',
  };
}
