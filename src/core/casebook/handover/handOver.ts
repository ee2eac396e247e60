import {
  type CaseContent,
  countedVisits,
  figureOrder,
  type Hypothesis,
  type Impact,
  impactOf,
  type Standing,
} from '../caseContent.ts';
import type { Evidence } from '../evidence/evidence.ts';
import { PIN_KINDS, type Pin, type PinScope } from '../pin.ts';

/** Parts of a hand-over that can be left out. */
export const HAND_OVER_PARTS = ['log', 'evidence', 'ruledOut', 'steps', 'raw', 'names'] as const;
export type HandOverPart = (typeof HAND_OVER_PARTS)[number];

/** What is in it unless somebody chooses: steps, raw data and names of people are not. */
export const USUAL_PARTS: readonly HandOverPart[] = ['log', 'evidence', 'ruledOut'];

export interface HandOverFigure {
  /** Its number, from 1. */
  readonly number: number;
  readonly id: string;
  readonly kind: string;
  readonly title: string;
  /** When it was frozen, epoch milliseconds. */
  readonly at: number;
  readonly scope: PinScope;
  /** The page that shows the same as long as its data is stored. */
  readonly link: string;
  readonly evidence: readonly Evidence[];
}

export interface HandOverHypothesis {
  readonly text: string;
  readonly standing: Standing;
  readonly reason: string;
  readonly for: readonly number[];
  readonly against: readonly number[];
}

/** A case as it is handed to those who can fix it: complete without access to the application. Times are epoch milliseconds. */
export interface HandOver {
  readonly number: number;
  readonly link: string;
  readonly writtenAt: number;
  /** The zone that its times are told in. */
  readonly zone: string;
  readonly title: string;
  readonly team: string;
  readonly state: string;
  readonly since: number | null;
  readonly until: number | null;
  readonly where: string;
  readonly impact: Impact;
  readonly amountOf: string;
  /** The application whose visits it is of; empty where it is of requests. */
  readonly visitsOf: string;
  /** Whether each figure was set by a person. */
  readonly impactSet: readonly string[];
  readonly keptBy: string;
  readonly log: readonly {
    readonly at: number;
    readonly page: string;
    readonly text: string;
    readonly by: string;
    readonly figures: readonly number[];
  }[];
  readonly figures: readonly HandOverFigure[];
  readonly hypotheses: readonly HandOverHypothesis[];
  readonly ruledOut: readonly HandOverHypothesis[];
  readonly asked: readonly string[];
  readonly notes: string;
  readonly helped: string;
  readonly steps: readonly { readonly at: number; readonly title: string; readonly link: string }[];
  /** Words that take the place of what is generated; empty for none. */
  readonly words: string;
}

interface HandOverOf {
  readonly number: number;
  readonly content: CaseContent;
  readonly worked: Impact;
  readonly pins: readonly Pin[];
  readonly steps: readonly { readonly at: number; readonly title: string; readonly path: string }[];
}

interface HandOverHow {
  readonly parts: readonly HandOverPart[];
  /** Where the application is reached, such as `http://lantern.example:4780`; links begin with it. */
  readonly origin: string;
  readonly zone: string;
  readonly now: number;
}

/** Puts a case into the order that the other team needs. Figures are numbered as the log mentions them. */
export function handOverOf(of: HandOverOf, { parts, origin, zone, now }: HandOverHow): HandOver {
  const { content } = of;
  const has = (part: HandOverPart) => parts.includes(part);
  const byId = new Map(of.pins.map((pin) => [pin.id, pin]));
  const shown = figureOrder(content).flatMap((id) => byId.get(id) ?? []);
  const numbers = new Map(shown.map(({ id }, at) => [id, at + 1]));
  const numbered = (ids: readonly string[]) => (has('evidence') ? ids.flatMap((id) => numbers.get(id) ?? []) : []);
  const hypothesis = (it: Hypothesis): HandOverHypothesis => ({
    text: it.text,
    standing: it.standing,
    reason: it.reason,
    for: numbered(it.for),
    against: numbered(it.against),
  });
  return {
    number: of.number,
    link: `${origin}/casebook/${of.number}`,
    writtenAt: now,
    zone,
    title: content.title,
    team: content.team,
    state: content.state,
    since: content.since,
    until: content.until,
    where: content.where,
    impact: impactOf(content, of.worked),
    amountOf: content.amountKey,
    visitsOf: countedVisits(content),
    impactSet: Object.keys(content.impact),
    keptBy: has('names') ? content.keptBy : '',
    log: has('log')
      ? content.entries.map(({ at, page, text, by, pins }) => ({
          at,
          page,
          text,
          by: has('names') ? by : '',
          figures: numbered(pins),
        }))
      : [],
    figures: has('evidence')
      ? shown.map(({ id, kind, title, at, scope, path, evidence }) => ({
          number: numbers.get(id)!,
          id,
          kind: PIN_KINDS[kind],
          title,
          at,
          scope,
          link: `${origin}${path}`,
          evidence,
        }))
      : [],
    hypotheses: content.hypotheses.filter(({ standing }) => standing !== 'ruled out').map(hypothesis),
    ruledOut: has('ruledOut') ? content.hypotheses.filter(({ standing }) => standing === 'ruled out').map(hypothesis) : [],
    asked: content.asked.map(({ text }) => text).filter((text) => text.trim() !== ''),
    notes: content.notes,
    helped: content.helped,
    steps: has('steps') ? of.steps.map(({ at, title, path }) => ({ at, title, link: `${origin}${path}` })) : [],
    words: content.words,
  };
}
