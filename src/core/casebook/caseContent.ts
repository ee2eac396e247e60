/** How a case stands. */
export const CASE_STATES = ['open', 'handed over', 'closed'] as const;
export type CaseState = (typeof CASE_STATES)[number];

export const STANDINGS = ['open', 'holds', 'ruled out'] as const;
export type Standing = (typeof STANDINGS)[number];

/** Figures of what it did to people. Each is worked out; a person may set another. */
export const IMPACT_FIELDS = ['people', 'failed', 'requests', 'waitingNs', 'amount', 'amountLeast', 'amountMost'] as const;
export type ImpactField = (typeof IMPACT_FIELDS)[number];
export type Impact = Readonly<Record<ImpactField, number | null>>;

export const NO_IMPACT: Impact = {
  people: null,
  failed: null,
  requests: null,
  waitingNs: null,
  amount: null,
  amountLeast: null,
  amountMost: null,
};

/** A line of the log of a case: when, what was seen, and the pins that show it. */
export interface CaseEntry {
  readonly id: string;
  /** Epoch milliseconds. */
  readonly at: number;
  /** The page that it was seen on, as people call it; empty for a note. */
  readonly page: string;
  readonly text: string;
  readonly pins: readonly string[];
  readonly by: string;
}

/** What could have been the cause. */
export interface Hypothesis {
  readonly id: string;
  readonly order: number;
  readonly text: string;
  readonly standing: Standing;
  /** Why it holds or is ruled out. */
  readonly reason: string;
  /** Pins that speak for it, and against. */
  readonly for: readonly string[];
  readonly against: readonly string[];
}

/** What the team is asked to do. */
export interface AskedOf {
  readonly id: string;
  readonly order: number;
  readonly text: string;
}

/** A moment that is marked on the ribbon. */
export interface CaseMark {
  readonly id: string;
  readonly at: number;
  readonly text: string;
}

/** All that people write in a case. Pins, steps and history are kept beside it. */
export interface CaseContent {
  readonly title: string;
  readonly state: CaseState;
  /** Since when it went on, and until when; epoch milliseconds. null: not known, or still going on. */
  readonly since: number | null;
  readonly until: number | null;
  /** The condition that leaves the requests that it is about, as chips write it; empty for all. */
  readonly where: string;
  /** Whether its impact is that of the requests of its time; false where it is about something else, such as visits. */
  readonly countsRequests: boolean;
  /** The application whose visits are counted where requests are not; empty for none. */
  readonly visitsOf: string;
  readonly keptBy: string;
  /** Whom it is handed to. */
  readonly team: string;
  /** Markdown. */
  readonly notes: string;
  /** What helped in the end. */
  readonly helped: string;
  /** The words of the hand-over as somebody rewrote them, Markdown; empty while they are generated. */
  readonly words: string;
  /** What people set instead of what is worked out. */
  readonly impact: Partial<Record<ImpactField, number>>;
  /** The attribute whose sums are the amount, such as `booking.value`, and what it is counted in. */
  readonly amountKey: string;
  readonly incidents: readonly number[];
  readonly entries: readonly CaseEntry[];
  readonly hypotheses: readonly Hypothesis[];
  readonly asked: readonly AskedOf[];
  readonly marks: readonly CaseMark[];
}

export const EMPTY_CASE: CaseContent = {
  title: '',
  state: 'open',
  since: null,
  until: null,
  where: '',
  countsRequests: true,
  visitsOf: '',
  keptBy: '',
  team: '',
  notes: '',
  helped: '',
  words: '',
  impact: {},
  amountKey: 'booking.value',
  incidents: [],
  entries: [],
  hypotheses: [],
  asked: [],
  marks: [],
};

/** The figures that count: what a person set, else what was worked out. */
export function impactOf(content: Pick<CaseContent, 'impact'>, worked: Impact): Impact {
  return { ...worked, ...content.impact };
}

/** Pins in the order of their figures: as they are first mentioned, in the log, then with hypotheses. */
export function figureOrder({ entries, hypotheses }: Pick<CaseContent, 'entries' | 'hypotheses'>): string[] {
  return [...new Set([...entries.flatMap(({ pins }) => pins), ...hypotheses.flatMap((it) => [...it.for, ...it.against])])];
}

type Counted = Pick<CaseContent, 'countsRequests' | 'visitsOf'>;

/** The application whose visits are the impact of a case; empty where its requests are, or where nothing is counted. */
export function countedVisits({ countsRequests, visitsOf }: Counted): string {
  return countsRequests ? '' : visitsOf;
}

/** Whether the impact of a case is worked out from what is stored: of requests, or of the visits of an application. */
export function isWorkedOut(it: Counted): boolean {
  return it.countsRequests || countedVisits(it) !== '';
}
