import { z } from 'zod';
import { maskMail, maskPath, maskStack, maskText } from '../../core/visits/pageMask.ts';
import { VISIT_KINDS } from '../../core/visits/visitEvent.ts';
import type { OutgoingLog } from '../../formats/otlp/record/encodeLogs.ts';
import type { Site } from './sites.ts';
import { visitorOf } from './visitorOf.ts';

/*
 * What the snippet sends, and the events that it becomes. The door is public: everything has a bound, and what the page did not mask is masked.
 */

/** Bytes of a batch, and events of it. */
export const LONGEST_BATCH = 65_536;
const MOST_EVENTS = 200;
/** Events of longer ago, or of later than now, are not taken. */
const OLDEST_MS = 6 * 3_600_000;
const NEWEST_MS = 60_000;
/** A browser's clock that is off by less is left alone. */
const CLOCK_MS = 2_000;

const word = (most: number) => z.string().max(most);
const value = z.union([word(4_000), z.number(), z.boolean()]);
const facts = z.record(word(60), value).refine((it) => Object.keys(it).length <= 30, 'at most 30 are expected');

export const batchShape = z.strictObject({
  v: z.literal(1),
  session: z.string().regex(/^[\da-f]{32}$/),
  now: z.number(),
  release: word(100).default(''),
  user: word(64).default(''),
  about: facts.default({}),
  masked: z.number().min(0).max(1e6).default(0),
  events: z
    .array(
      z.strictObject({
        k: z.enum(VISIT_KINDS),
        o: z.int().min(0).max(1e7),
        t: z.number(),
        p: word(300),
        n: word(600).default(''),
        d: z.number().min(0).max(4e6).optional(),
        tr: z
          .string()
          .regex(/^[\da-f]{32}$/)
          .optional(),
        x: facts.default({}),
      }),
    )
    .min(1)
    .max(MOST_EVENTS),
});
export type Batch = z.output<typeof batchShape>;

/**
 * The events of a batch as they are stored, timed by our clock.
 *
 * @param nowMs when it came @param userAgent the header of that name
 */
export function eventsOf(site: Site, batch: Batch, userAgent: string, nowMs: number): OutgoingLog[] {
  const off = nowMs - batch.now;
  const shift = Math.abs(off) > CLOCK_MS ? off : 0;
  const resource = {
    'service.name': site.app,
    ...(batch.release && { 'service.version': batch.release }),
    ...(site.environment && { 'deployment.environment.name': site.environment }),
  };
  const about = maskedFacts({ ...visitorOf(userAgent), ...(batch.release && { version: batch.release }), ...batch.about });
  const found: OutgoingLog[] = [];
  for (const it of batch.events) {
    const timeMs = it.t + shift;
    if (!(timeMs > nowMs - OLDEST_MS && timeMs < nowMs + NEWEST_MS)) continue;
    found.push({
      resource,
      scope: { name: 'dusk-lantern/browser', version: '1' },
      time: BigInt(Math.round(timeMs * 1_000)) * 1_000n,
      severity: 0,
      body: null,
      event: 'lantern.visit',
      ...(it.tr && { traceId: it.tr }),
      attributes: {
        'session.id': batch.session,
        'user.id': maskMail(batch.user, 64),
        'lantern.visit.kind': it.k,
        'url.path': maskPath(it.p),
        'lantern.visit.name': isAddress(it.n) ? withoutQuery(it.n) : maskText(it.n, 600),
        ...(it.d !== undefined && { 'lantern.visit.duration_ms': it.d }),
        'lantern.visit.order': it.o,
        ...(it.tr && { 'lantern.trace_id': it.tr }),
        'lantern.visit.detail': { ...maskedFacts(it.x), ...(found.length === 0 && batch.masked > 0 && { masked: batch.masked }) },
        // Facts of the visit are told once a batch, and so is how much was masked.
        ...(found.length === 0 && { 'lantern.visit.about': about }),
      },
    });
  }
  return found;
}

function isAddress(name: string): boolean {
  return /^https?:\/\//.test(name);
}

function withoutQuery(address: string): string {
  const [plain] = address.split(/[?#]/);
  const slash = plain.indexOf('/', 'https://'.length);
  return slash < 0 ? plain : `${plain.slice(0, slash)}${maskPath(plain.slice(slash))}`;
}

/** Ids that the snippet makes are none of a person. */
const OWN_IDS = new Set(['view']);

function maskedFacts(of: Readonly<Record<string, string | number | boolean>>): Record<string, string | number | boolean> {
  return Object.fromEntries(
    Object.entries(of).map(([name, value]) => [name, typeof value === 'string' ? maskedText(name, value) : value]),
  );
}

function maskedText(name: string, value: string): string {
  if (OWN_IDS.has(name)) return value.slice(0, 40);
  // Positions in a stack are no numbers of persons.
  return name === 'stack' ? maskStack(value) : maskText(value, 300);
}
