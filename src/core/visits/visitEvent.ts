import type { Attributes } from '../trace/span.ts';

/*
 * What a browser or phone reports of a visit, one event after the other. The time of an event is when the thing began: a page view, a
 * resource and a long task begin and take their duration; an action begins with the press and lasts until its effect.
 */

export const VISIT_KINDS = [
  'page',
  'action',
  'resource',
  'error',
  'crash',
  'struggle',
  'vital',
  'task',
  'start',
  'leave',
] as const;
export type VisitKind = (typeof VISIT_KINDS)[number];

export interface VisitEvent {
  /** Epoch milliseconds, with a fraction. */
  readonly atMs: number;
  readonly kind: VisitKind;
  /** The path of the page, or the name of the screen. */
  readonly page: string;
  /** What was pressed, loaded, measured or went wrong. */
  readonly name: string;
  readonly durationMs: number | null;
  readonly traceId: string;
  readonly order: number;
  /** Of the event, see `DETAIL`. */
  readonly detail: Attributes;
  /** Of the visit, see `lantern.visit.about`. */
  readonly about: Attributes;
}

/** Details of an event by their names. */
export const DETAIL = {
  view: 'view',
  trigger: 'trigger',
  redirect: 'redirect.ms',
  dns: 'dns.ms',
  connect: 'connect.ms',
  tls: 'tls.ms',
  request: 'request.ms',
  response: 'response.ms',
  bytes: 'bytes',
  party: 'party',
  status: 'status',
  element: 'element',
  effect: 'effect',
  value: 'value',
  stack: 'stack',
  handled: 'handled',
  masked: 'masked',
} as const;

export function numberIn(attributes: Attributes, name: string): number | undefined {
  const value = attributes[name];
  return typeof value === 'number' && Number.isFinite(value) ? value : undefined;
}

export function textIn(attributes: Attributes, name: string): string {
  const value = attributes[name];
  return typeof value === 'string' ? value : typeof value === 'number' || typeof value === 'boolean' ? String(value) : '';
}

/** The end of an event, epoch milliseconds. */
export function endOf({ atMs, durationMs }: Pick<VisitEvent, 'atMs' | 'durationMs'>): number {
  return atMs + Math.max(0, durationMs ?? 0);
}

/** Whether something pressed had an effect; undefined where the sender did not watch for one. */
export function effectOf({ detail }: Pick<VisitEvent, 'detail'>): boolean | undefined {
  const value = detail[DETAIL.effect];
  if (typeof value === 'boolean') return value;
  if (typeof value !== 'string' || value === '') return undefined;
  return value !== 'none';
}

/** The host of an address; empty for a name that is none. */
export function hostOf(url: string): string {
  try {
    return new URL(url).host;
  } catch {
    return '';
  }
}
