import type { Evidence } from './evidence/evidence.ts';

/** What can be pinned, with what people call it. */
export const PIN_KINDS = {
  journey: 'journey',
  requests: 'requests over time',
  service: 'service',
  operations: 'operations',
  measures: 'measures',
  failures: 'failures',
  starts: 'where it starts',
  trace: 'trace',
  span: 'span',
  ledger: 'where the time went',
  comparison: 'comparison of traces',
  contrast: 'contrast',
  lines: 'log lines',
  line: 'log line',
  shapes: 'message shapes',
  groups: 'stitched groups',
  databases: 'database servers',
  load: 'load of a database',
  blocking: 'blocking tree',
  statement: 'statement',
  plan: 'plan',
  trial: 'trial of a statement',
  pool: 'connection pool',
  running: 'running requests',
  stack: 'stack',
  profile: 'profile',
  findings: 'findings',
  layers: 'layers',
  host: 'host',
  pods: 'pods',
  pages: 'pages',
  visit: 'visit',
  steps: 'steps of visitors',
  crashes: 'crashes by version',
  checks: 'checks',
  picture: 'picture',
  table: 'table',
} as const;

/** Kinds whose copy is of what the page had drawn, so that there is no question to ask again. */
export const GIVEN_KINDS = ['picture', 'table'] as const;
export type GivenKind = (typeof GIVEN_KINDS)[number];
export type PinKind = keyof typeof PIN_KINDS;

/** The window, reference and narrowing in which something was pinned. */
export interface PinScope {
  readonly from: number;
  readonly to: number;
  /** The window that it was held against; null when there was none. */
  readonly before: { readonly from: number; readonly to: number } | null;
  /** The narrowing, as chips write it. */
  readonly where: string;
}

/** A frozen copy of something, with where it came from. It never changes. */
export interface Pin {
  readonly id: string;
  readonly kind: PinKind;
  readonly title: string;
  /** Epoch milliseconds. */
  readonly at: number;
  readonly by: string;
  readonly scope: PinScope;
  /** The path and query of the page, which shows the same as far as it is still stored. */
  readonly path: string;
  readonly evidence: readonly Evidence[];
  /** Names that tell what it is about: services, operations, hosts, shapes. For finding similar cases. */
  readonly about: readonly string[];
  /** Bytes of the answer that it was made from, as it is kept; 0 when that was too long to keep. */
  readonly rawBytes: number;
}
